package engine

import "opengauge/core/storage/target"

// mostRetries is how often an operation is asked again before its error counts.
const mostRetries = 100

// retries reports whether an operation is asked again, whose call was interrupted or would have had to wait.
func (w *worker) retries(c *target.Completion) bool {
	o := &w.underWay[c.Slot]
	if !target.IsTransient(c.Err) || o.retries >= mostRetries {
		return false
	}
	o.retries++
	w.meter.retried++
	again := target.Operation{Slot: c.Slot, Action: o.action, Offset: o.offset, Length: int(w.request.Block)}
	if o.action == target.Write {
		again.Durable = w.request.Durable
		if w.request.Ledger == nil && w.payload != nil && w.payload.Fits(again.Length) {
			again.Data = w.payload.Next(again.Length) // any data will do; other writes have theirs in the slot
		}
	}
	w.again = append(w.again, again)
	return true
}
