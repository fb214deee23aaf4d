package fault

// Number is an error of Windows, by its name in winerror.h.
type Number struct {
	Name  string
	Value uint32
	Kind  Kind
}

// OfWindows are the errors of Windows that say what is wrong with storage.
var OfWindows = []Number{
	{"ERROR_FILE_NOT_FOUND", 2, Absent}, {"ERROR_PATH_NOT_FOUND", 3, Absent}, {"ERROR_BAD_NETPATH", 53, Absent},
	{"ERROR_BAD_NET_NAME", 67, Absent},
	{"ERROR_ACCESS_DENIED", 5, Denied}, {"ERROR_PRIVILEGE_NOT_HELD", 1314, Denied},
	{"ERROR_NETWORK_ACCESS_DENIED", 65, Denied},
	{"ERROR_HANDLE_DISK_FULL", 39, Full}, {"ERROR_DISK_FULL", 112, Full},
	{"ERROR_WRITE_PROTECT", 19, ReadOnly}, {"ERROR_FILE_READ_ONLY", 6009, ReadOnly},
	{"ERROR_SHARING_VIOLATION", 32, Busy}, {"ERROR_LOCK_VIOLATION", 33, Busy}, {"ERROR_BUSY", 170, Busy},
	{"ERROR_DRIVE_LOCKED", 108, Busy}, {"ERROR_USER_MAPPED_FILE", 1224, Busy}, {"ERROR_DEVICE_IN_USE", 2404, Busy},
	{"ERROR_BAD_UNIT", 20, Gone}, {"ERROR_NOT_READY", 21, Gone}, {"ERROR_DEV_NOT_EXIST", 55, Gone},
	{"ERROR_FILE_INVALID", 1006, Gone}, {"ERROR_NO_MEDIA_IN_DRIVE", 1112, Gone},
	{"ERROR_DEVICE_NOT_CONNECTED", 1167, Gone}, {"ERROR_DEVICE_REMOVED", 1617, Gone}, {"ERROR_NETNAME_DELETED", 64, Gone},
	{"ERROR_UNEXP_NET_ERR", 59, Gone},
	{"ERROR_FILE_EXISTS", 80, Exists}, {"ERROR_ALREADY_EXISTS", 183, Exists},
	{"ERROR_CRC", 23, Failed}, {"ERROR_SEEK", 25, Failed}, {"ERROR_SECTOR_NOT_FOUND", 27, Failed},
	{"ERROR_WRITE_FAULT", 29, Failed}, {"ERROR_READ_FAULT", 30, Failed}, {"ERROR_GEN_FAILURE", 31, Failed},
	{"ERROR_IO_DEVICE", 1117, Failed}, {"ERROR_SEM_TIMEOUT", 121, Failed},
	{"ERROR_INVALID_FUNCTION", 1, Invalid}, {"ERROR_NOT_SUPPORTED", 50, Invalid}, {"ERROR_INVALID_PARAMETER", 87, Invalid},
}

// ofNewerWindows are those that were added to winerror.h after the copy that the others are
// compared with.
var ofNewerWindows = []Number{{"ERROR_NO_SUCH_DEVICE", 433, Gone}, {"ERROR_DISK_QUOTA_EXCEEDED", 1295, Full}}

// ofWindows is the kind of a number.
func ofWindows(value uint32) Kind {
	for _, numbers := range [][]Number{OfWindows, ofNewerWindows} {
		for _, each := range numbers {
			if each.Value == value {
				return each.Kind
			}
		}
	}
	return None
}
