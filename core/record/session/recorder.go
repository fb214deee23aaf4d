package session

// Recorder is who kept a session in a logbook that several share.
type Recorder struct {
	// Bench is the machine's own name.
	Bench string `json:"bench,omitempty"`
	// Account is who kept it, as the server of the logbook knows.
	Account string `json:"account,omitempty"`
}

// Recorded notes the account, of which the server knows more than the session itself.
func (s *Session) Recorded(account string) {
	if account == "" {
		return
	}
	by := Recorder{Account: account}
	if s.RecordedBy != nil {
		by.Bench = s.RecordedBy.Bench
	}
	s.RecordedBy = &by
}

// Words say who it was.
func (r Recorder) Words() string {
	switch {
	case r.Bench == "":
		return r.Account
	case r.Account == "":
		return "the bench " + r.Bench
	}
	return r.Account + " on the bench " + r.Bench
}
