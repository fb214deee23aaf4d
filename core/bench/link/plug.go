package link

// SamePlug reports whether one standard's plug and cable fit the other's: those of one
// family do, and tunnels run over the plugs and cables of USB (USB4 Specification 2.0,
// 1.2). Which of them is slower does not matter.
func SamePlug(a, b Standard) bool {
	plug := func(family string) string {
		if family == "USB4 and Thunderbolt" {
			return "USB"
		}
		return family
	}
	return plug(a.Family) == plug(b.Family)
}
