// Package cooling says how storage cooled down while it was let be: from how warm to how
// warm, and how fast, as the time constant of an exponential that comes down to a floor. It
// only reads sessions, and its functions may be called at once.
package cooling

import (
	"math"
	"slices"

	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// Curve is how one thermometer went down in a rest.
type Curve struct {
	// Rest is the number of the rest in its session, and Sensor the thermometer.
	Rest   int
	Sensor string
	// From is the warmest, and To the last reading, ElapsedSeconds later.
	From, To       unit.Celsius
	ElapsedSeconds float64
	// Points are what was read, in seconds since the rest began.
	Points []Point
	// Fit is nil where what was read does not tell how it goes on.
	Fit *Fit
}

// Point is a reading.
type Point struct{ Seconds, Celsius float64 }

// Fit is the exponential FloorCelsius + (start - FloorCelsius) · exp(-t / TimeConstant),
// which is Newton's law of cooling for one thermal mass, from BeganSeconds on.
type Fit struct {
	TimeConstantSeconds float64
	// Low and High are those time constants that explain what was read about as well.
	Low, High    float64
	FloorCelsius float64
	BeganSeconds float64
	StartCelsius float64
}

// At is the temperature of the fit at a time since the rest began.
func (f Fit) At(seconds float64) float64 {
	return f.FloorCelsius + (f.StartCelsius-f.FloorCelsius)*math.Exp(-(seconds-f.BeganSeconds)/f.TimeConstantSeconds)
}

const (
	// leastFall is by how many kelvins a thermometer has to fall for a curve to be told, and
	// leastPoints how many readings that takes.
	leastFall, leastPoints = 3, 8
	// widest is how far apart the time constants may be that explain it.
	widest = 3
	// leastExplained is the share of the variance that the fit has to explain.
	leastExplained = 0.9
	// longest is how many times as long as the rest a time constant may be that it tells.
	longest = 2
	// steps are how finely time constants are looked through: a share apart.
	steps = 1.02
)

// Of gives how the storage cooled down in each rest of a session in which it did.
func Of(s *session.Session) []Curve {
	var curves []Curve
	for i := range s.Rests {
		if c, ok := ofRest(&s.Rests[i]); ok {
			c.Rest = i
			curves = append(curves, c)
		}
	}
	return curves
}

// Told is the curve of a session that tells most: the longest with a fit.
func Told(s *session.Session) (told Curve, found bool) {
	for _, c := range Of(s) {
		if c.Fit != nil && (!found || c.ElapsedSeconds > told.ElapsedSeconds) {
			told, found = c, true
		}
	}
	return told, found
}

// ofRest takes the drive's own thermometer, or else the one that fell most.
func ofRest(r *session.Rest) (best Curve, found bool) {
	series := map[string][]Point{}
	for _, sample := range r.Samples {
		for name, celsius := range sample.TemperaturesCelsius {
			if celsius.Believable() {
				series[name] = append(series[name], Point{sample.TSeconds, float64(celsius)})
			}
		}
	}
	names := make([]string, 0, len(series))
	for name := range series {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		c, ok := curveOf(name, series[name])
		if !ok {
			continue
		}
		if name == "drive" {
			return c, true
		}
		if !found || c.From-c.To > best.From-best.To {
			best, found = c, true
		}
	}
	return best, found
}

func curveOf(name string, points []Point) (Curve, bool) {
	if len(points) < leastPoints {
		return Curve{}, false
	}
	warmest := 0
	for i, p := range points {
		if p.Celsius >= points[warmest].Celsius { // the last of them: it may stand there for a while
			warmest = i
		}
	}
	last := points[len(points)-1]
	c := Curve{Sensor: name, From: unit.Celsius(points[warmest].Celsius), To: unit.Celsius(last.Celsius), Points: points,
		ElapsedSeconds: last.Seconds - points[warmest].Seconds}
	if c.From-c.To < leastFall {
		return Curve{}, false
	}
	if falling := points[warmest:]; len(falling) >= leastPoints {
		c.Fit = fitted(falling)
	}
	return c, true
}

// fitted looks through time constants, each with the floor and the start that suit it best
// (least squares, as both enter linearly), and takes the best one, if what is nearly as good
// is not far away.
func fitted(points []Point) *Fit {
	began := points[0].Seconds
	elapsed := points[len(points)-1].Seconds - began
	least := math.Inf(1)
	var best Fit
	type tried struct{ constant, residual float64 }
	var all []tried
	for constant := elapsed / 100; constant < elapsed*20; constant *= steps {
		floor, height, residual := linear(points, began, constant)
		all = append(all, tried{constant, residual})
		if residual < least {
			least = residual
			best = Fit{TimeConstantSeconds: constant, FloorCelsius: floor, BeganSeconds: began, StartCelsius: floor + height}
		}
	}
	if math.IsInf(least, 1) || !(best.StartCelsius > best.FloorCelsius) {
		return nil
	}
	if least > (1-leastExplained)*variance(points) {
		return nil
	}
	// As good is what chance alone would make of the best one, two standard deviations away
	// (likelihood ratio); thermometers that tell whole degrees are off by their step.
	freedom := float64(len(points) - 3)
	noise := max(least/freedom, square(stepOf(points))/12)
	best.Low, best.High = math.Inf(1), 0
	for _, t := range all {
		if t.residual <= least+4*noise {
			best.Low, best.High = min(best.Low, t.constant), max(best.High, t.constant)
		}
	}
	if best.High > widest*best.Low || best.High > longest*elapsed {
		return nil
	}
	return &best
}

// linear gives the floor and the height above it that fit best for a time constant, and
// the sum of the squares that is left.
func linear(points []Point, began, constant float64) (floor, height, residual float64) {
	n, sx, sy, sxx, sxy := float64(len(points)), 0.0, 0.0, 0.0, 0.0
	for _, p := range points {
		x := math.Exp(-(p.Seconds - began) / constant)
		sx, sy, sxx, sxy = sx+x, sy+p.Celsius, sxx+x*x, sxy+x*p.Celsius
	}
	spread := n*sxx - sx*sx
	if !(spread > 1e-12) {
		return 0, 0, math.Inf(1)
	}
	height = (n*sxy - sx*sy) / spread
	floor = (sy - height*sx) / n
	for _, p := range points {
		residual += square(p.Celsius - floor - height*math.Exp(-(p.Seconds-began)/constant))
	}
	return floor, height, residual
}

func square(x float64) float64 { return x * x }

// variance is the sum of the squares about the mean.
func variance(points []Point) float64 {
	sum, all := 0.0, 0.0
	for _, p := range points {
		sum += p.Celsius
	}
	for _, p := range points {
		all += square(p.Celsius - sum/float64(len(points)))
	}
	return all
}

// stepOf is the smallest difference between two readings: what the thermometer tells apart.
func stepOf(points []Point) float64 {
	step := math.Inf(1)
	for i := 1; i < len(points); i++ {
		if apart := math.Abs(points[i].Celsius - points[i-1].Celsius); apart > 1e-9 {
			step = min(step, apart)
		}
	}
	if math.IsInf(step, 1) {
		return 0
	}
	return step
}
