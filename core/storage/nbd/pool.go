package nbd

import (
	"context"
	"sync"
)

// pool shares the memory of a server's requests among its clients. Half of it goes to whoever asks; of the
// other half each has an equal part, so that clients that take all they can and never give it back leave
// something to the others.
type pool struct {
	mutex sync.Mutex
	freed *sync.Cond
	used  int64
	// parts holds how much each client has.
	parts map[*transmission]int64
}

func newPool() *pool {
	p := &pool{parts: map[*transmission]int64{}}
	p.freed = sync.NewCond(&p.mutex)
	return p
}

// join enters a client. The returned function lets go of it.
func (p *pool) join(ctx context.Context, client *transmission) (leave func()) {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	p.parts[client] = 0
	stop := context.AfterFunc(ctx, p.freed.Broadcast)
	return func() {
		stop()
		p.mutex.Lock()
		defer p.mutex.Unlock()
		p.used -= p.parts[client]
		delete(p.parts, client)
		p.freed.Broadcast()
	}
}

// take waits until a client may have so many bytes more, or its context ends.
func (p *pool) take(ctx context.Context, client *transmission, bytes int64) error {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	for ctx.Err() == nil {
		if p.allows(p.parts[client], bytes) {
			p.parts[client] += bytes
			p.used += bytes
			return nil
		}
		p.freed.Wait()
	}
	return ctx.Err()
}

// allows reports whether a client that holds some bytes may have more.
func (p *pool) allows(held, more int64) bool {
	const half = allMemory / 2
	if held+more > clientMemory {
		return false
	}
	return held+more <= half/int64(len(p.parts)) || p.used+more <= half
}

func (p *pool) give(client *transmission, bytes int64) {
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if _, here := p.parts[client]; !here {
		return
	}
	p.parts[client] -= bytes
	p.used -= bytes
	p.freed.Broadcast()
}
