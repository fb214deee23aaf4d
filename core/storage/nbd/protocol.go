// Package nbd speaks the NBD protocol: a volume on a network as a target, and a server that stands in for
// one. Sections refer to the protocol's open specification (doc/proto.md of the NBD project): the fixed
// newstyle handshake, simple and structured replies, flush, forced unit access, trim, block size constraints
// and TLS.
//
// A queue is a connection, and is used by one goroutine; a server serves each connection on goroutines of its
// own.
package nbd

import (
	"encoding/binary"
	"errors"
	"fmt"
	"syscall"
)

// Numbers of the handshake ("Newstyle negotiation").
const (
	magicServer = 0x4e42444d41474943 // "NBDMAGIC"
	magicOption = 0x49484156454F5054 // "IHAVEOPT"
	magicReply  = 0x0003e889045565a9

	flagFixedNewstyle = 1 << 0
	flagNoZeroes      = 1 << 1

	optionExportName       = 1
	optionAbort            = 2
	optionList             = 3
	optionStartTLS         = 5
	optionInfo             = 6
	optionGo               = 7
	optionStructuredReply  = 8
	optionListMetaContexts = 9
	optionSetMetaContexts  = 10

	replyAck        = 1
	replyServer     = 2
	replyInfo       = 3
	replyError      = 1 << 31
	replyUnsupport  = replyError + 1
	replyPolicy     = replyError + 2
	replyInvalid    = replyError + 3
	replyTLSNeeded  = replyError + 5
	replyUnknown    = replyError + 6
	replyShutdown   = replyError + 7
	replyBlockSizes = replyError + 8
	replyTooBig     = replyError + 9

	infoExport      = 0
	infoDescription = 2
	infoBlockSize   = 3
)

// Flags of an export ("Transmission flags").
const (
	exportHasFlags   = 1 << 0
	exportReadOnly   = 1 << 1
	exportFlush      = 1 << 2
	exportFUA        = 1 << 3
	exportRotational = 1 << 4
	exportTrim       = 1 << 5
	exportZeroes     = 1 << 6
	exportMulti      = 1 << 8
)

// Numbers of the transmission ("Transmission phase").
const (
	magicRequest    = 0x25609513
	magicSimple     = 0x67446698
	magicStructured = 0x668e33ef

	commandRead   = 0
	commandWrite  = 1
	commandEnd    = 2
	commandFlush  = 3
	commandTrim   = 4
	commandZeroes = 6

	commandFUA = 1 << 0

	chunkDone        = 1 << 0
	chunkNone        = 0
	chunkData        = 1
	chunkHole        = 2
	chunkError       = 1<<15 + 1
	chunkErrorOffset = 1<<15 + 2
)

// Bounds of the memory that a peer may ask for ("Terminology": strings are at most 4096 bytes).
const (
	longestName   = 4096
	longestOption = 64 << 10
	// longestDescription is the most that the protocol lets a server say of an export.
	longestDescription = 4096
	requestLength      = 28
	// largestExport keeps offsets within the integers of systems.
	largestExport = 1<<62 - 1
	// usualLargest is the largest request where a server does not say.
	usualLargest = 32 << 20
)

// errno gives the error that a number of the protocol stands for.
func errno(number uint32) error {
	switch number {
	case 0:
		return nil
	case 1:
		return syscall.EPERM
	case 5:
		return syscall.EIO
	case 12:
		return syscall.ENOMEM
	case 22:
		return syscall.EINVAL
	case 28:
		return syscall.ENOSPC
	case 108:
		return syscall.ENODEV // the server is about to end
	}
	return fmt.Errorf("the server reports error %d", number)
}

// ErrGarbage says that a peer does not speak the protocol.
var ErrGarbage = errors.New("the server does not speak NBD as it should")

func garbage(format string, arguments ...any) error {
	return fmt.Errorf("%w: %s", ErrGarbage, fmt.Sprintf(format, arguments...))
}

// header comes before a request's data.
type header struct {
	flags, command uint16
	cookie         uint64
	offset         int64
	length         int
}

// put writes the header, 28 bytes of it.
func (h header) put(into []byte) {
	binary.BigEndian.PutUint32(into, magicRequest)
	binary.BigEndian.PutUint16(into[4:], h.flags)
	binary.BigEndian.PutUint16(into[6:], h.command)
	binary.BigEndian.PutUint64(into[8:], h.cookie)
	binary.BigEndian.PutUint64(into[16:], uint64(h.offset))
	binary.BigEndian.PutUint32(into[24:], uint32(h.length))
}
