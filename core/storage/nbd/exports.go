package nbd

import (
	"context"
	"crypto/tls"
	"encoding/binary"
	"fmt"
)

// mostExports is how many names of exports are read of a server.
const mostExports = 1000

// Exports asks a server for the names of its exports ("NBD_OPT_LIST"). A server may refuse to tell.
func Exports(ctx context.Context, a Address, settings *tls.Config) ([]string, error) {
	var names []string
	c, err := speak(ctx, a, func(c *connection) (err error) {
		if err = c.greet(a, settings); err == nil {
			names, err = c.list()
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	return names, c.Close()
}

func (c *connection) list() (names []string, err error) {
	if err := c.option(optionList, nil); err != nil {
		return nil, err
	}
	for len(names) <= mostExports {
		kind, content, err := c.optionReply(optionList)
		switch {
		case err != nil:
			return nil, err
		case kind == replyAck:
			return names, c.option(optionAbort, nil)
		case kind != replyServer:
			return nil, fmt.Errorf("the server does not tell what it serves: %s", replyWord(kind))
		case len(content) < 4 || uint64(binary.BigEndian.Uint32(content)) > uint64(len(content)-4):
			return nil, garbage("its name of an export has %d bytes", len(content))
		}
		names = append(names, string(content[4:4+binary.BigEndian.Uint32(content)]))
	}
	return nil, garbage("it does not come to an end with what it serves")
}
