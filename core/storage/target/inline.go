package target

import "time"

// inline notices that the calls which begin operations come back only when those are
// over: some file systems, and some systems in front of them, carry them so. Then no two
// would ever be under way at once, however many are asked for, and threads have to make
// the calls.
type inline struct{ seen int }

const (
	// lingers is how long beginning an operation takes at the least where it is over
	// then, and slow enough for that to matter; from certainly on, no pause of the
	// thread looks like that. Otherwise it has to be seen as often as believed says.
	lingers, certainly = 100 * time.Microsecond, 2 * time.Millisecond
	believed           = 2
)

// sees says, of a call in which operations began and were over, with how long it took for
// each of them, whether threads are needed.
func (i *inline) sees(each time.Duration) bool {
	if each < lingers {
		return false
	}
	i.seen++
	return i.seen >= believed || each > certainly
}
