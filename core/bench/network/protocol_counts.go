package network

import (
	"strconv"
	"strings"

	"opengauge/core/bench/kernel"
	"opengauge/core/bench/link"
)

// CountFolder reads what the protocol of a folder counts. Names end in where it is mounted.
func CountFolder(tree kernel.Tree, f Folder, into map[string]int64) {
	switch f.Protocol {
	case "nfs":
		countNFS(tree.Raw("proc/self/mountstats"), f.At, into)
	case "smb":
		countSMB(tree.Raw("proc/fs/cifs/Stats"), f, into)
	}
}

// countNFS reads the statistics of a mounted NFS (net/sunrpc/stats.c, rpc_print_iostats,
// version 1.1): a line for each procedure with how many were asked for, how often they
// were sent, how often waiting for an answer was given up, bytes out and in, and
// milliseconds queued, of the round trips, and in all; then how many failed. "xprt" counts
// connections (net/sunrpc/xprtsock.c: tcp, source port, bind count, connect count).
func countNFS(text, at string, into map[string]int64) {
	const asked, sent, timeouts, roundTrip, failed = 0, 1, 2, 6, 8
	inside := false
	sums := map[string]int64{}
	for _, line := range strings.Split(text, "\n") {
		fields := strings.Fields(line)
		switch {
		case len(fields) > 4 && fields[0] == "device":
			inside = kernel.Unescaped(fields[4]) == at
		case !inside || len(fields) == 0:
		case fields[0] == "xprt:" && len(fields) > 4 && fields[1] == "tcp":
			if count, err := strconv.ParseInt(fields[4], 10, 64); err == nil {
				sums[link.Reconnects] += count
			}
		case strings.HasSuffix(fields[0], ":") && len(fields) > roundTrip+1:
			numbers, ok := wholeNumbers(fields[1:])
			if !ok || strings.ToLower(fields[0]) == fields[0] { // "age:", "events:" are no procedures
				continue
			}
			sums[link.Requests] += numbers[asked]
			sums[link.RequestsAgain] += max(numbers[sent]-numbers[asked], 0)
			sums[link.RequestTimeouts] += numbers[timeouts]
			sums[link.RoundTrips] += numbers[roundTrip]
			if len(numbers) > failed {
				sums[link.RequestsFailed] += numbers[failed]
			}
		}
	}
	for counter, sum := range sums {
		into[counter+" "+at] = sum
	}
}

func wholeNumbers(fields []string) ([]int64, bool) {
	numbers := make([]int64, len(fields))
	for i, field := range fields {
		count, err := strconv.ParseInt(field, 10, 64)
		if err != nil || count < 0 {
			return nil, false
		}
		numbers[i] = count
	}
	return numbers, true
}

// countSMB reads the kernel's statistics of SMB (fs/smb/client/cifs_debug.c,
// cifs_stats_proc_show): sessions and shares that were reconnected, of all servers
// together, and for each share how many requests it took and how many failed ("Writes: 9
// Bytes: 1" in older kernels, "Writes: 9 total 0 failed" since SMB 2).
func countSMB(text string, f Folder, into map[string]int64) {
	inside, seen := false, false
	requests, failed := int64(0), int64(0)
	for _, line := range strings.Split(text, "\n") {
		fields := strings.Fields(line)
		switch {
		case len(fields) >= 4 && fields[1] == "session" && fields[3] == "share":
			sessions, sessionErr := strconv.ParseInt(fields[0], 10, 64)
			shares, shareErr := strconv.ParseInt(fields[2], 10, 64)
			if sessionErr == nil && shareErr == nil {
				into[link.Reconnects+" "+f.At] = sessions + shares
			}
		case len(fields) > 1 && strings.HasSuffix(fields[0], ")") && strings.HasPrefix(fields[1], `\\`):
			inside = strings.EqualFold(fields[1], `\\`+f.Server+`\`+strings.ReplaceAll(f.Share, "/", `\`))
		case inside && len(fields) == 5 && fields[2] == "total" && fields[4] == "failed":
			total, totalErr := strconv.ParseInt(fields[1], 10, 64)
			wrong, wrongErr := strconv.ParseInt(fields[3], 10, 64)
			if totalErr == nil && wrongErr == nil {
				seen = true
				requests += total
				failed += wrong
			}
		}
	}
	if seen {
		into[link.Requests+" "+f.At], into[link.RequestsFailed+" "+f.At] = requests, failed
	}
}
