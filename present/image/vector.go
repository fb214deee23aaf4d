package image

import (
	"fmt"
	"html"
	"image"
	"image/color"
	"math"
	"strconv"
	"strings"

	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/vg"

	"opengauge/present/figure"
)

// vector is a sheet that is drawn on as SVG (W3C SVG 1.1), in pixels to a tenth. It belongs
// to one goroutine.
type vector struct {
	width, height vg.Length
	// paint says how a colour is written.
	paint func(color.NRGBA) string
	out   strings.Builder
	pen   pen
	saved []pen
}

// pen is the state that is saved and restored.
type pen struct {
	colour color.NRGBA
	width  vg.Length
	dashes []vg.Length
	offset vg.Length
	place  matrix
}

// matrix maps x and y to a·x + c·y + e and b·x + d·y + f.
type matrix struct{ a, b, c, d, e, f float64 }

func (m matrix) times(n matrix) matrix {
	return matrix{
		m.a*n.a + m.c*n.b, m.b*n.a + m.d*n.b, m.a*n.c + m.c*n.d, m.b*n.c + m.d*n.d,
		m.a*n.e + m.c*n.f + m.e, m.b*n.e + m.d*n.f + m.f,
	}
}

func newVector(width, height vg.Length, paint func(color.NRGBA) string) *vector {
	return &vector{width: width, height: height, paint: paint,
		pen: pen{colour: color.NRGBA{A: 255}, width: 1, place: matrix{a: 1, d: 1}}}
}

var _ vg.CanvasSizer = (*vector)(nil)

func (v *vector) Size() (vg.Length, vg.Length) { return v.width, v.height }

func (v *vector) SetLineWidth(width vg.Length) { v.pen.width = width }

func (v *vector) SetLineDash(pattern []vg.Length, offset vg.Length) {
	v.pen.dashes = pattern
	v.pen.offset = offset
}

func (v *vector) SetColor(c color.Color) {
	if c == nil {
		c = color.Black
	}
	v.pen.colour = color.NRGBAModel.Convert(c).(color.NRGBA)
}

func (v *vector) Rotate(angle float64) {
	sin, cos := math.Sincos(angle)
	v.pen.place = v.pen.place.times(matrix{a: cos, b: sin, c: -sin, d: cos})
}

func (v *vector) Translate(by vg.Point) {
	v.pen.place = v.pen.place.times(matrix{a: 1, d: 1, e: float64(by.X), f: float64(by.Y)})
}

func (v *vector) Scale(x, y float64) { v.pen.place = v.pen.place.times(matrix{a: x, d: y}) }

func (v *vector) Push() { v.saved = append(v.saved, v.pen) }

func (v *vector) Pop() {
	v.pen = v.saved[len(v.saved)-1]
	v.saved = v.saved[:len(v.saved)-1]
}

// Stroke writes a path as a line.
func (v *vector) Stroke(path vg.Path) {
	if v.pen.width <= 0 || v.pen.colour.A == 0 {
		return
	}
	fmt.Fprintf(&v.out, `<path d="%s" fill="none" stroke="%s"%s stroke-width="%s"`, v.path(path),
		v.paint(v.pen.colour), opacity("stroke", v.pen.colour), tenth(inPixels(v.pen.width)))
	if len(v.pen.dashes) > 0 {
		lengths := make([]string, len(v.pen.dashes))
		for i, each := range v.pen.dashes {
			lengths[i] = tenth(inPixels(each))
		}
		fmt.Fprintf(&v.out, ` stroke-dasharray="%s"`, strings.Join(lengths, " "))
		if v.pen.offset != 0 {
			fmt.Fprintf(&v.out, ` stroke-dashoffset="%s"`, tenth(inPixels(v.pen.offset)))
		}
	}
	v.out.WriteString("/>\n")
}

// Fill writes a path as an area.
func (v *vector) Fill(path vg.Path) {
	if v.pen.colour.A == 0 {
		return
	}
	fmt.Fprintf(&v.out, "<path d=\"%s\" fill=\"%s\"%s/>\n", v.path(path), v.paint(v.pen.colour),
		opacity("fill", v.pen.colour))
}

// FillString writes a text. Its length goes with it, so that it takes the room that was
// reckoned with in letters of any make.
func (v *vector) FillString(face font.Face, at vg.Point, words string) {
	if face.Font.Size == 0 || strings.TrimSpace(words) == "" {
		return
	}
	m := v.pen.place
	x, y := v.map2(m, at)
	turned := ""
	if angle := math.Atan2(m.b, m.a); math.Abs(angle) > 1e-6 {
		turned = fmt.Sprintf(` transform="rotate(%s %s %s)"`, tenth(-angle*180/math.Pi), tenth(x), tenth(y))
	}
	weight := ""
	if face.Font.Weight > 0 {
		weight = ` font-weight="bold"`
	}
	fmt.Fprintf(&v.out, "<text x=\"%s\" y=\"%s\"%s font-size=\"%s\"%s fill=\"%s\"%s textLength=\"%s\" "+
		"lengthAdjust=\"spacingAndGlyphs\">%s</text>\n",
		tenth(x), tenth(y), turned, tenth(inPixels(face.Font.Size)), weight, v.paint(v.pen.colour),
		opacity("fill", v.pen.colour), tenth(inPixels(face.Width(words))), html.EscapeString(words))
}

// DrawImage draws nothing: no figure has pictures in it.
func (v *vector) DrawImage(vg.Rectangle, image.Image) {}

// map2 gives a place in pixels from the upper left corner.
func (v *vector) map2(m matrix, p vg.Point) (x, y float64) {
	px := float64(p.X)
	py := float64(p.Y)
	return inPixels(vg.Length(m.a*px + m.c*py + m.e)), inPixels(v.height - vg.Length(m.b*px+m.d*py+m.f))
}

func (v *vector) path(path vg.Path) string {
	var d strings.Builder
	var lastX, lastY float64 // where the pen is, in tenths
	point := func(p vg.Point) {
		x, y := v.map2(v.pen.place, p)
		lastX = math.Round(x * 10)
		lastY = math.Round(y * 10)
		d.WriteString(tenth(x) + " " + tenth(y))
	}
	for _, part := range path {
		switch part.Type {
		case vg.MoveComp:
			d.WriteByte('M')
			point(part.Pos)
		case vg.LineComp: // from where the pen is, which is shorter
			x, y := v.map2(v.pen.place, part.Pos)
			x = math.Round(x * 10)
			y = math.Round(y * 10)
			d.WriteString("l" + tenth((x-lastX)/10) + " " + tenth((y-lastY)/10))
			lastX = x
			lastY = y
		case vg.ArcComp:
			lastX, lastY = v.arc(&d, part)
		case vg.CurveComp:
			d.WriteByte("  QC"[len(part.Control)+1])
			for _, control := range part.Control {
				point(control)
				d.WriteByte(' ')
			}
			point(part.Pos)
		case vg.CloseComp:
			d.WriteByte('Z')
		}
	}
	return d.String()
}

// arc writes an arc of a circle, and says where it ends, in tenths; a whole circle as two
// halves, as SVG draws no arc that ends where it begins.
func (v *vector) arc(d *strings.Builder, part vg.PathComp) (lastX, lastY float64) {
	at := func(angle float64) (x, y float64) {
		sin, cos := math.Sincos(angle)
		return v.map2(v.pen.place, vg.Point{X: part.Pos.X + part.Radius*vg.Length(cos),
			Y: part.Pos.Y + part.Radius*vg.Length(sin)})
	}
	x, y := at(part.Start)
	command := byte('L')
	if d.Len() == 0 {
		command = 'M'
	}
	fmt.Fprintf(d, "%c%s %s", command, tenth(x), tenth(y))
	const parts = 2
	sweep := 0
	if part.Angle < 0 {
		sweep = 1
	}
	radius := tenth(inPixels(part.Radius))
	for i := 1; i <= parts; i++ {
		x, y = at(part.Start + part.Angle*float64(i)/parts)
		fmt.Fprintf(d, "A%s %s 0 0 %d %s %s", radius, radius, sweep, tenth(x), tenth(y))
	}
	return math.Round(x * 10), math.Round(y * 10)
}

func inPixels(length vg.Length) float64 { return float64(length / vg.Inch * figure.Resolution) }

// tenth writes a number with one digit behind the point at the most.
func tenth(value float64) string {
	rounded := math.Round(value*10) / 10
	if rounded == 0 {
		return "0" // no minus before it
	}
	return strconv.FormatFloat(rounded, 'f', -1, 64)
}

func opacity(of string, c color.NRGBA) string {
	if c.A == 255 {
		return ""
	}
	const hundredths = 100
	thin := math.Round(float64(c.A)/255*hundredths) / hundredths
	return fmt.Sprintf(` %s-opacity="%s"`, of, strconv.FormatFloat(thin, 'f', -1, 64))
}

// hex writes a colour as #rrggbb.
func hex(c color.NRGBA) string { return fmt.Sprintf("#%02x%02x%02x", c.R, c.G, c.B) }

// variable writes a colour of the looks as the variable of a page's style.
func variable(c color.NRGBA) string {
	written := hex(c)
	for _, tone := range figure.Tones {
		if tone.Light == written {
			return "var(--" + tone.Name + ")"
		}
	}
	return written
}
