package design

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"opengauge/core/bench/book"
	"opengauge/core/review"
	"opengauge/examples"
)

// of reads a review of the demo's parts: what is compared, and besides that its budget.
func of(t *testing.T, compared, budget string) *Design {
	t.Helper()
	bench, err := book.Parse(examples.BenchName, examples.Bench)
	if err != nil {
		t.Fatal(err)
	}
	source := "review: r\nquestion: Which?\n" + compared + "\nmeasure:\n  - plan: long-write\ndecide: {largest: rate, " +
		"of: write}\nbudget: {" + budget + "}\n"
	r, err := review.Parse("review.yaml", []byte(source), bench)
	if err != nil {
		t.Fatal(err)
	}
	return New(r)
}

const grid = `compare:
  host: [cabin-desk.front, deck-tablet]
  enclosure: [limpet, barnacle]
  drive: [sandpiper, dunlin, curlew]
  fan: {levels: [automatic, "on"], in: {enclosure: barnacle}}
with: {cable: short-cable}`

// visits makes all visits of a design, some a day.
func visits(d *Design, perDay int) []Visit {
	var made []Visit
	for {
		next, ok := d.Next(made, Here{Day: fmt.Sprint("day ", len(made)/perDay)})
		if !ok {
			return made
		}
		made = append(made, next)
	}
}

// Each round has each cell once, each in another order; a day begins with the first cell.
func TestRounds(t *testing.T) {
	d := of(t, grid, "visits-at-most: 4")
	made := visits(d, 100)
	cells := len(d.Review.Cells())
	if cells != 18 || len(made) != 4*cells {
		t.Fatalf("%d visits of %d cells", len(made), cells)
	}
	var orders []string
	for round := range 4 {
		var names []string
		for _, v := range made[round*cells : (round+1)*cells] {
			names = append(names, v.Cell)
			if v.Number != round+1 || v.Control {
				t.Errorf("round %d has %+v", round, v)
			}
		}
		orders = append(orders, strings.Join(names, " "))
		slices.Sort(names)
		if len(slices.Compact(names)) != cells {
			t.Errorf("round %d has %d different cells", round, len(slices.Compact(names)))
		}
	}
	for i := range made[1:] {
		if made[i].Cell == made[i+1].Cell {
			t.Errorf("%s comes twice in a row, and is not put together anew", made[i].Cell)
		}
	}
	slices.Sort(orders)
	if len(slices.Compact(orders)) != 4 {
		t.Error("two rounds have one order")
	}
	for i, v := range made {
		if v.Order != i+1 {
			t.Errorf("visit %d has the order %d", i+1, v.Order)
		}
	}
}

func TestDaysBeginWithTheFirstCell(t *testing.T) {
	d := of(t, grid, "visits-at-most: 2")
	made := visits(d, 10)
	controls := 0
	for i, v := range made {
		if v.Control != (i > 0 && i%10 == 0) {
			t.Errorf("visit %d of %s on %s is a control: %v", i+1, v.Cell, v.Day, v.Control)
		}
		if v.Control {
			controls++
			if v.Cell != made[0].Cell {
				t.Errorf("the control is %s, and the first cell was %s", v.Cell, made[0].Cell)
			}
		}
	}
	if len(made) != 36+controls {
		t.Errorf("%d visits with %d controls", len(made), controls)
	}
	end, ok := d.Control(made, Here{Day: "end"})
	if !ok || end.Cell != made[0].Cell || !end.Control {
		t.Errorf("at the end %+v", end)
	}
	if _, ok := d.Control(append(made, end), Here{}); ok {
		t.Error("the end comes twice")
	}
}

// An order that is drawn with the parts in mind takes less than half of the swaps of one
// that is drawn without.
func TestFewSwaps(t *testing.T) {
	d := of(t, grid, "visits-at-most: 3")
	made := visits(d, 1000)
	planned := d.cost(made).Swaps
	chance := rand.New(rand.NewPCG(3, 3))
	chance.Shuffle(len(made), func(i, j int) { made[i], made[j] = made[j], made[i] })
	if random := d.cost(made).Swaps; planned*2 > random || planned == 0 {
		t.Errorf("%d swaps, in random order %d", planned, random)
	}
}

// The next visit follows from those made alone, so that a review stops anywhere; what is
// out, or at another host, is not visited.
func TestGoingOn(t *testing.T) {
	d := of(t, grid, "visits-at-most: 2")
	made := visits(d, 1000)
	again := of(t, grid, "visits-at-most: 2")
	for stop := range made {
		next, ok := again.Next(made[:stop], Here{Day: "day 0"})
		if !ok || next != made[stop] {
			t.Fatalf("after %d visits %+v, want %+v", stop, next, made[stop])
		}
	}
	for _, v := range visitsHere(d, Here{Day: "a", Hosts: []string{"deck-tablet"}}) {
		if !strings.HasPrefix(v.Cell, "deck-tablet/") {
			t.Errorf("%s is visited at the tablet", v.Cell)
		}
	}
	out := map[string]bool{made[0].Cell: true}
	for _, v := range visitsHere(d, Here{Day: "a", Out: out}) {
		if out[v.Cell] {
			t.Errorf("%s is visited, and is out", v.Cell)
		}
	}
}

func visitsHere(d *Design, here Here) []Visit {
	var made []Visit
	for {
		next, ok := d.Next(made, here)
		if !ok {
			return made
		}
		made = append(made, next)
	}
}

const firmware = `compare:
  drive: [sandpiper, dunlin]
  firmware: {levels: ["1.0", "1.1"], in: {drive: sandpiper}, one-way: yes}
with: {host: deck-tablet, enclosure: limpet}`

// All of before comes before the step, and what the step does not touch is visited on both
// sides.
func TestOneWay(t *testing.T) {
	d := of(t, firmware, "visits-at-most: 6")
	made := visits(d, 1000)
	sides := map[string][2]int{}
	after := false
	for i, v := range made {
		after = after || strings.Contains(v.Cell, "1.1")
		if after && strings.Contains(v.Cell, "1.0") {
			t.Errorf("visit %d goes back to %s", i+1, v.Cell)
		}
		counts := sides[v.Cell]
		if after {
			counts[1]++
		} else {
			counts[0]++
		}
		sides[v.Cell] = counts
	}
	if sides["sandpiper/1.0"] != [2]int{3, 0} || sides["sandpiper/1.1"] != [2]int{0, 3} ||
		sides["dunlin"] != [2]int{3, 3} {
		t.Errorf("visits before and after: %v", sides)
	}
	if s := d.Separate(made); len(s.Mixed) != 0 || strings.Join(s.Separate, " ") != "drive firmware" {
		t.Errorf("with a control: %+v", s)
	}
}

// Without a control the step is not told from what else changed meanwhile.
func TestOneWayWithoutControl(t *testing.T) {
	d := of(t, `compare:
  firmware: {levels: ["1.0", "1.1"], one-way: yes}
with: {host: deck-tablet, enclosure: limpet, drive: sandpiper}`, "visits-at-most: 6")
	s := d.Separate(visits(d, 1000))
	if len(s.Mixed) != 1 || s.Mixed[0].Effect != "firmware" || s.Mixed[0].With[0] != sideKey {
		t.Errorf("%+v", s)
	}
}

func TestSeparate(t *testing.T) {
	d := of(t, grid, "visits-at-most: 2")
	s := d.Separate(visits(d, 20))
	if got := strings.Join(s.Separate, " "); got != "host enclosure drive fan" || len(s.Mixed) != 0 {
		t.Errorf("separate %q, mixed %+v", got, s.Mixed)
	}
	once := of(t, grid, "visits-at-most: 2")
	few := visits(once, 100)[:1]
	if s := once.Separate(few); len(s.Separate) != 0 {
		t.Errorf("one visit separates %v", s.Separate)
	}
}

// A cable that is swapped together with the host is not told from it; a third candidate
// tells them apart.
func TestTheTrap(t *testing.T) {
	trap := `candidates:
  below: {host: cabin-desk.front, cable: short-cable, enclosure: limpet}
  deck: {host: deck-tablet, cable: deck-cable, enclosure: limpet}
`
	d := of(t, trap+"with: {drive: sandpiper}", "visits-at-most: 3")
	s := d.Separate(visits(d, 100))
	if len(s.Separate) != 0 || len(s.Mixed) != 1 || s.Mixed[0].With[0] == s.Mixed[0].Effect {
		t.Fatalf("%+v", s)
	}
	for _, m := range s.Mixed {
		if !strings.Contains(m.Says, "host") || !strings.Contains(m.Says, "cable") {
			t.Errorf("%+v", m)
		}
	}
	d = of(t, trap+"  third: {host: deck-tablet, cable: short-cable, enclosure: limpet}\nwith: {drive: sandpiper}",
		"visits-at-most: 3")
	if s := d.Separate(visits(d, 100)); len(s.Mixed) != 0 || len(s.Separate) != 2 {
		t.Errorf("with a third: %+v", s)
	}
}

// Days that go with the host hide what the host does.
func TestDaysThatGoWithTheHost(t *testing.T) {
	d := of(t, grid, "visits-at-most: 2")
	var made []Visit
	for _, v := range visits(d, 1000) {
		v.Day = strings.Split(v.Cell, "/")[0]
		made = append(made, v)
	}
	s := d.Separate(made)
	if len(s.Mixed) != 1 || s.Mixed[0].Effect != "host" || s.Mixed[0].With[0] != "day" {
		t.Errorf("%+v", s)
	}
}

func TestCheck(t *testing.T) {
	d := of(t, grid, "visits-at-most: 4")
	c := d.Check()
	// 18 cells twice, and the first again at the end, each five minutes of writing, as much
	// rest, a fill and hands.
	if c.Least.Visits < 37 || c.Least.Visits > 40 || !(c.Least.Hours >= 7 && c.Least.Hours <= 10) {
		t.Errorf("at the least %+v", c.Least)
	}
	if !(c.Most.Hours >= 1.9*c.Least.Hours) || c.Within != 4 || len(c.TooSmall) != 0 {
		t.Errorf("at the most %+v, %d within, %v", c.Most, c.Within, c.TooSmall)
	}
	if len(c.Wear) != 3 || c.Wear[0].Share <= 0 || c.Wear[0].Written <= 0 {
		t.Errorf("wear %+v", c.Wear)
	}
	if c.Cheaper == nil || len(c.Cheaper.Cells) >= 14 || !(c.Cheaper.Cost.Hours <= 0.8*c.Least.Hours) {
		t.Errorf("cheaper %+v", c.Cheaper)
	}
}

func TestBudgetsThatAreTooSmall(t *testing.T) {
	for budget, says := range map[string]string{
		"hours-at-most: 2": "hours-at-most is 2", "written-at-most: 1TB": "written-at-most is 1 TB",
		"swaps-at-most: 5": "swaps-at-most is 5",
	} {
		c := of(t, grid, budget).Check()
		if len(c.TooSmall) != 1 || !strings.Contains(c.TooSmall[0], says) || c.Within >= 2 {
			t.Errorf("%s: %v, %d within", budget, c.TooSmall, c.Within)
		}
	}
	if c := of(t, grid, "hours-at-most: 13").Check(); len(c.TooSmall) != 0 || c.Within != 3 {
		t.Errorf("in 13 hours %d visits, %v", c.Within, c.TooSmall)
	}
}

func TestInstructions(t *testing.T) {
	d := of(t, grid, "visits-at-most: 2")
	cell := func(name string) *review.Cell {
		c, ok := d.Review.Cell(name)
		if !ok {
			t.Fatalf("no cell %s", name)
		}
		return &c
	}
	from, to := cell("deck-tablet/barnacle/sandpiper/on"), cell("deck-tablet/limpet/dunlin")
	got := strings.Join(Instructions(from, to), " ")
	want := "Exchange the enclosure barnacle for limpet. Exchange the drive sandpiper for dunlin. No fan any more. " +
		"Unplug " +
		"what stays, and plug it in again."
	if got != want || Swaps(from, to) != 2 {
		t.Errorf("%q, %d swaps", got, Swaps(from, to))
	}
	if got := Instructions(&review.Cell{}, to)[0]; got != "Put together: deck-tablet, short-cable, limpet, dunlin." {
		t.Errorf("%q", got)
	}
	if got := Instructions(to, to); len(got) != 2 || !strings.HasPrefix(got[0], "The same again") {
		t.Errorf("%q", got)
	}
}
