//go:build !linux

package survey

// messages are not listened to on this system yet.
type messages struct{}

func openMessages() *messages { return &messages{} }

func (*messages) close() {}

func (*messages) take() []message { return nil }
