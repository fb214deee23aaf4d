/*
 * Writes what the made-up machine of machine.py would answer on Windows, as a capture: with
 * the structures of the headers of MinGW-w64, and without a line of the program that reads
 * it. Built by x86_64-w64-mingw32-gcc, run under Wine.
 */
#define _WIN32_WINNT 0x0A00
#define NTDDI_VERSION 0x0A00000B
#define WIN32_LEAN_AND_MEAN
#include <stddef.h>
#include <stdio.h>
#include <string.h>
#include <wchar.h>
#include <windows.h>
#include <initguid.h>
#include <winioctl.h>
#include <usbioctl.h>
#include <usbspec.h>
#include <nvme.h>
#include <devpropdef.h>
#include <devpkey.h>
#include <pciprop.h>

static int written;

static void begin(void) { printf("%s\n  {", written++ ? "," : ""); }

static void base64(const void *data, size_t length) {
	static const char letters[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
	const unsigned char *b = data;
	for (size_t i = 0; i < length; i += 3) {
		unsigned v = b[i] << 16 | (i + 1 < length ? b[i + 1] << 8 : 0) | (i + 2 < length ? b[i + 2] : 0);
		putchar(letters[v >> 18]);
		putchar(letters[v >> 12 & 63]);
		putchar(i + 1 < length ? letters[v >> 6 & 63] : '=');
		putchar(i + 2 < length ? letters[v & 63] : '=');
	}
}

static void text(const char *s) {
	putchar('"');
	for (; *s; s++) {
		if (*s == '\\' || *s == '"')
			putchar('\\');
		putchar(*s);
	}
	putchar('"');
}

static void query(const char *path, DWORD code, const void *in, size_t inlen, const void *out, size_t outlen) {
	begin();
	printf("\"query\":");
	text(path);
	printf(",\"code\":%lu", code);
	if (inlen) {
		printf(",\"input\":\"");
		base64(in, inlen);
		putchar('"');
	}
	printf(",\"bytes\":\"");
	base64(out, outlen);
	printf("\"}");
}

static void refuse(const char *path, DWORD code, const void *in, size_t inlen, DWORD error) {
	begin();
	printf("\"query\":");
	text(path);
	printf(",\"code\":%lu,\"input\":\"", code);
	base64(in, inlen);
	printf("\",\"error\":%lu}", error);
}

static void property(const char *instance, DEVPROPKEY key, const void *data, size_t length) {
	const GUID *g = &key.fmtid;
	begin();
	printf("\"property\":");
	text(instance);
	printf(",\"key\":\"{%08lx-%04x-%04x-%02x%02x-", g->Data1, g->Data2, g->Data3, g->Data4[0], g->Data4[1]);
	for (int i = 2; i < 8; i++)
		printf("%02x", g->Data4[i]);
	printf("} %lu\",\"bytes\":\"", key.pid);
	base64(data, length);
	printf("\"}");
}

static void words(const char *instance, DEVPROPKEY key, const wchar_t *value) {
	property(instance, key, value, (wcslen(value) + 1) * sizeof *value);
}

static void count(const char *instance, DEVPROPKEY key, UINT32 value) { property(instance, key, &value, sizeof value); }

static void list(const char *what, const char *of, const char *const *names) {
	begin();
	printf("\"list\":");
	text(what);
	printf(",\"of\":");
	text(of);
	printf(",\"names\":[");
	for (int i = 0; names[i]; i++) {
		if (i)
			putchar(',');
		text(names[i]);
	}
	printf("]}");
}

static void one(const char *what, const char *of, const char *name) {
	const char *const names[] = {name, NULL};
	list(what, of, names);
}

struct drive {
	int number, bus;
	const char *path, *instance, *vendor, *product, *revision, *serial;
	LONGLONG bytes;
	int removable, rotates;
};

static void ask(const char *path, STORAGE_PROPERTY_ID id, const void *out, size_t length) {
	STORAGE_PROPERTY_QUERY q;
	memset(&q, 0, sizeof q);
	q.PropertyId = id;
	query(path, IOCTL_STORAGE_QUERY_PROPERTY, &q, sizeof q, out, length);
}

/* The descriptor, with its texts behind it. */
static void describe(const struct drive *d) {
	unsigned char room[1024];
	memset(room, 0, sizeof room);
	STORAGE_DEVICE_DESCRIPTOR *s = (void *)room;
	size_t at = sizeof *s;
	const char *texts[] = {d->vendor, d->product, d->revision, d->serial};
	DWORD *offsets[] = {&s->VendorIdOffset, &s->ProductIdOffset, &s->ProductRevisionOffset, &s->SerialNumberOffset};
	for (int i = 0; i < 4; i++)
		if (*texts[i]) {
			*offsets[i] = at;
			strcpy((char *)room + at, texts[i]);
			at += strlen(texts[i]) + 1;
		}
	s->Version = sizeof *s;
	s->Size = at;
	s->RemovableMedia = d->removable;
	s->CommandQueueing = TRUE;
	s->BusType = d->bus;
	ask(d->path, StorageDeviceProperty, room, at);
	DEVICE_SEEK_PENALTY_DESCRIPTOR seek = {sizeof seek, sizeof seek, d->rotates};
	if (d->bus != BusTypeSd)
		ask(d->path, StorageDeviceSeekPenaltyProperty, &seek, sizeof seek);
	STORAGE_ACCESS_ALIGNMENT_DESCRIPTOR align;
	memset(&align, 0, sizeof align);
	align.Version = align.Size = sizeof align;
	align.BytesPerLogicalSector = 512;
	align.BytesPerPhysicalSector = 4096;
	ask(d->path, StorageAccessAlignmentProperty, &align, sizeof align);
}

static void disk(const struct drive *d) {
	STORAGE_DEVICE_NUMBER n = {FILE_DEVICE_DISK, d->number, 0};
	query(d->path, IOCTL_STORAGE_GET_DEVICE_NUMBER, NULL, 0, &n, sizeof n);
	describe(d);
	DISK_GEOMETRY_EX g;
	memset(&g, 0, sizeof g);
	g.Geometry.BytesPerSector = 512;
	g.Geometry.MediaType = d->removable ? RemovableMedia : FixedMedia;
	g.DiskSize.QuadPart = d->bytes;
	query(d->path, IOCTL_DISK_GET_DRIVE_GEOMETRY_EX, NULL, 0, &g, sizeof g);
	one("instance", d->path, d->instance);
	DISK_PERFORMANCE p;
	memset(&p, 0, sizeof p);
	p.BytesRead.QuadPart = 1000000;
	p.BytesWritten.QuadPart = 2000000;
	p.ReadTime.QuadPart = 30000; /* of 100 ns */
	p.WriteTime.QuadPart = 40000;
	query(d->path, IOCTL_DISK_PERFORMANCE, NULL, 0, &p, sizeof p);
}

static void partitioned(const struct drive *d, int partition, const char *volume, const char *place, const char *system) {
	unsigned char room[sizeof(DRIVE_LAYOUT_INFORMATION_EX)];
	memset(room, 0, sizeof room);
	DRIVE_LAYOUT_INFORMATION_EX *l = (void *)room;
	l->PartitionStyle = PARTITION_STYLE_GPT;
	l->PartitionCount = 1;
	l->PartitionEntry[0].PartitionStyle = PARTITION_STYLE_GPT;
	l->PartitionEntry[0].StartingOffset.QuadPart = 1 << 20;
	l->PartitionEntry[0].PartitionLength.QuadPart = d->bytes - (2 << 20);
	l->PartitionEntry[0].PartitionNumber = partition;
	query(d->path, IOCTL_DISK_GET_DRIVE_LAYOUT_EX, NULL, 0, room, sizeof room);
	VOLUME_DISK_EXTENTS e;
	memset(&e, 0, sizeof e);
	e.NumberOfDiskExtents = 1;
	e.Extents[0].DiskNumber = d->number;
	e.Extents[0].StartingOffset.QuadPart = 1 << 20;
	e.Extents[0].ExtentLength.QuadPart = d->bytes - (2 << 20);
	char device[100];
	strcpy(device, volume);
	device[strlen(device) - 1] = 0;
	query(device, IOCTL_VOLUME_GET_VOLUME_DISK_EXTENTS, NULL, 0, &e, sizeof e);
	one("places", volume, place);
	one("file system", volume, system);
}

/* A request in a drive's own protocol, and its answer. */
static void protocol(const char *path, int type, int what, int value, const void *data, size_t length) {
	unsigned char in[8192], out[8192];
	size_t inner = offsetof(STORAGE_PROPERTY_QUERY, AdditionalParameters);
	memset(in, 0, sizeof in);
	memset(out, 0, sizeof out);
	STORAGE_PROPERTY_QUERY *q = (void *)in;
	q->PropertyId = StorageDeviceProtocolSpecificProperty;
	STORAGE_PROTOCOL_SPECIFIC_DATA *s = (void *)(in + inner);
	s->ProtocolType = type;
	s->DataType = what;
	s->ProtocolDataRequestValue = value;
	s->ProtocolDataOffset = sizeof *s;
	s->ProtocolDataLength = length;
	size_t whole = inner + sizeof *s + length;
	if (!data) {
		refuse(path, IOCTL_STORAGE_QUERY_PROPERTY, in, whole, ERROR_ACCESS_DENIED);
		return;
	}
	STORAGE_PROTOCOL_DATA_DESCRIPTOR *d = (void *)out;
	d->Version = d->Size = sizeof *d;
	d->ProtocolSpecificData = *s;
	memcpy((unsigned char *)&d->ProtocolSpecificData + s->ProtocolDataOffset, data, length);
	query(path, IOCTL_STORAGE_QUERY_PROPERTY, in, whole, out,
	      offsetof(STORAGE_PROTOCOL_DATA_DESCRIPTOR, ProtocolSpecificData) + sizeof *s + length);
}

static void health(const char *path, int celsius) {
	NVME_HEALTH_INFO_LOG h;
	memset(&h, 0, sizeof h);
	h.Temperature[0] = (celsius + 273) & 255;
	h.Temperature[1] = (celsius + 273) >> 8;
	h.AvailableSpare = 100;
	h.PercentageUsed = 3;
	h.DataUnitWritten[0] = 200; /* of 512 000 bytes */
	h.MediaErrors[0] = 1;
	h.WarningCompositeTemperatureTime = 2;
	h.TemperatureSensor1 = celsius + 273 + 3;
	protocol(path, ProtocolTypeNvme, NVMeDataTypeLogPage, NVME_LOG_PAGE_HEALTH_INFO, &h, sizeof h);
	unsigned char identity[4096];
	memset(identity, 0, sizeof identity);
	NVME_IDENTIFY_CONTROLLER_DATA *c = (void *)identity;
	c->WCTEMP = 80 + 273;
	c->CCTEMP = 85 + 273;
	protocol(path, ProtocolTypeNvme, NVMeDataTypeIdentify, NVME_IDENTIFY_CNS_CONTROLLER, identity, sizeof identity);
}

static void node(const char *instance, const wchar_t *parent, const wchar_t *service, const wchar_t *name, int inside) {
	DEVPROP_BOOLEAN yes = inside ? DEVPROP_TRUE : DEVPROP_FALSE;
	if (parent)
		words(instance, DEVPKEY_Device_Parent, parent);
	words(instance, DEVPKEY_Device_Service, service);
	words(instance, DEVPKEY_Device_DeviceDesc, name);
	property(instance, DEVPKEY_Device_InLocalMachineContainer, &yes, sizeof yes);
}

static void pci(const char *instance, int speed, int width, int most, int widest) {
	count(instance, DEVPKEY_PciDevice_CurrentLinkSpeed, speed);
	count(instance, DEVPKEY_PciDevice_CurrentLinkWidth, width);
	count(instance, DEVPKEY_PciDevice_MaxLinkSpeed, most);
	count(instance, DEVPKEY_PciDevice_MaxLinkWidth, widest);
}

#define HUB "\\\\?\\USB#ROOT_HUB30#4&1&0&0#{f18a0e88-c30c-11d0-8815-00a0c906bed8}"

/* The case on port 5 of the hub: at 5 Gbit/s, and it could do 10. */
static void connection(void) {
	USB_NODE_CONNECTION_INFORMATION_EX c;
	memset(&c, 0, sizeof c);
	c.ConnectionIndex = 5;
	unsigned char in[64];
	memcpy(in, &c, sizeof c);
	c.Speed = UsbSuperSpeed;
	c.ConnectionStatus = DeviceConnected;
	query(HUB, IOCTL_USB_GET_NODE_CONNECTION_INFORMATION_EX, in, offsetof(USB_NODE_CONNECTION_INFORMATION_EX, PipeList),
	      &c, sizeof c);
	USB_NODE_CONNECTION_INFORMATION_EX_V2 v;
	memset(&v, 0, sizeof v);
	v.ConnectionIndex = 5;
	v.Length = sizeof v;
	v.SupportedUsbProtocols.Usb300 = 1;
	memcpy(in, &v, sizeof v);
	v.Flags.DeviceIsOperatingAtSuperSpeedOrHigher = 1;
	v.Flags.DeviceIsSuperSpeedCapableOrHigher = 1;
	v.Flags.DeviceIsSuperSpeedPlusCapableOrHigher = 1;
	query(HUB, IOCTL_USB_GET_NODE_CONNECTION_INFORMATION_EX_V2, in, sizeof v, &v, sizeof v);

	unsigned char request[sizeof(USB_DESCRIPTOR_REQUEST) + 1024], answer[sizeof(USB_DESCRIPTOR_REQUEST) + 64];
	memset(request, 0, sizeof request);
	USB_DESCRIPTOR_REQUEST *r = (void *)request;
	r->ConnectionIndex = 5;
	r->SetupPacket.bmRequest = 0x80;
	r->SetupPacket.bRequest = USB_REQUEST_GET_DESCRIPTOR;
	r->SetupPacket.wValue = USB_BOS_DESCRIPTOR_TYPE << 8;
	r->SetupPacket.wLength = 1024;
	memcpy(answer, request, sizeof *r);
	static const unsigned char store[] = {5, 15, 35, 0, 2, 10, 16, 3, 0, 14, 0, 3, 0, 0, 0, 20, 16, 10, 0, 1, 0, 0, 0, 0, 17, 0, 0,
	                                      0x30, 0x40, 10, 0, 0xb0, 0x40, 10, 0};
	memcpy(answer + sizeof *r, store, sizeof store);
	query(HUB, IOCTL_USB_GET_DESCRIPTOR_FROM_NODE_CONNECTION, request, sizeof request, answer, sizeof *r + sizeof store);
}

int main(void) {
	static const struct drive drives[] = {
		{0, BusTypeNvme, "\\\\?\\scsi#disk&ven_nvme#0", "SCSI\\DISK&VEN_NVME\\5&1&0&000000", "NVMe", "Sandpiper 1TB", "1.2",
		 "TW-0001", 1000204886016, 0, 0},
		{1, BusTypeUsb, "\\\\?\\scsi#disk&ven_limpet#1", "SCSI\\DISK&VEN_LIMPET\\6&1&0&000000", "Limpet", "Case", "0100", "TW-0002",
		 1000204886016, 0, 0},
		{2, BusTypeSata, "\\\\?\\scsi#disk&ven_curlew#2", "SCSI\\DISK&VEN_CURLEW\\4&1&0&010000", "", "Curlew 500", "CC01", "TW-0003",
		 500107862016, 0, 1},
		{3, BusTypeNvme, "\\\\?\\scsi#disk&ven_nvme#3", "SCSI\\DISK&VEN_NVME\\7&1&0&000000", "NVMe", "Turnstone 2TB", "2.0", "TW-0004",
		 2000398934016, 0, 0},
		{4, BusTypeSd, "\\\\?\\sd#disk#4", "SD\\DISK&GENERIC\\8&1&0&0", "", "Pebble", "", "TW-0005", 31914983424, 1, 0},
	};
	printf("{\n \"format\": \"opengauge.windows/1\",\n \"answers\": [");
	const char *paths[6] = {0};
	for (int i = 0; i < 5; i++)
		paths[i] = drives[i].path;
	list("interfaces", "{53f56307-b6bf-11d0-94f2-00a0c91efb8b}", paths);
	one("interfaces", "{f18a0e88-c30c-11d0-8815-00a0c906bed8}", HUB);
	one("instance", HUB, "USB\\ROOT_HUB30\\4&1&0&0");
	one("system folder", "", "C:\\Windows");
	const char *volumes[] = {"\\\\?\\Volume{00000000-0000-0000-0000-000000000001}\\",
	                         "\\\\?\\Volume{00000000-0000-0000-0000-000000000002}\\",
	                         "\\\\?\\Volume{00000000-0000-0000-0000-000000000003}\\", NULL};
	list("volumes", "", volumes);
	for (int i = 0; i < 5; i++)
		disk(&drives[i]);
	partitioned(&drives[0], 1, volumes[0], "C:\\", "NTFS");
	partitioned(&drives[1], 1, volumes[1], "E:\\", "exFAT");
	partitioned(&drives[2], 1, volumes[2], "D:\\", "NTFS");
	health(drives[0].path, 42);
	/* That of the drive outside is refused to this user. */
	protocol(drives[3].path, ProtocolTypeNvme, NVMeDataTypeLogPage, NVME_LOG_PAGE_HEALTH_INFO, NULL, 512);
	unsigned short identity[256] = {0};
	identity[76] = 0x000e; /* 1.5, 3 and 6 Gbit/s */
	identity[77] = 2 << 1; /* the second of them */
	protocol(drives[2].path, ProtocolTypeAta, AtaDataTypeIdentify, 0, identity, sizeof identity);

	node("ACPI\\PNP0A08\\0", L"ACPI_HAL\\PNP0C08\\0", L"pci", L"PCI Express Root Complex", 1);
	node("ACPI_HAL\\PNP0C08\\0", NULL, L"ACPI", L"ACPI System", 1);
	/* A port of 4.0 x4, and in it a drive of 3.0 x4 that runs with two lanes. */
	node("PCI\\PORT\\1", L"ACPI\\PNP0A08\\0", L"pci", L"PCI Express Root Port", 1);
	pci("PCI\\PORT\\1", 3, 2, 4, 4);
	node("PCI\\SANDPIPER\\1", L"PCI\\PORT\\1", L"stornvme", L"Standard NVM Express Controller", 1);
	pci("PCI\\SANDPIPER\\1", 3, 2, 3, 4);
	node(drives[0].instance, L"PCI\\SANDPIPER\\1", L"disk", L"Disk drive", 1);
	/* The case on USB. */
	node("PCI\\XHCI\\1", L"ACPI\\PNP0A08\\0", L"USBXHCI", L"USB xHCI Host Controller", 1);
	node("USB\\ROOT_HUB30\\4&1&0&0", L"PCI\\XHCI\\1", L"USBHUB3", L"USB Root Hub", 1);
	node("USB\\VID_0000&PID_0000\\TW-0002", L"USB\\ROOT_HUB30\\4&1&0&0", L"UASPStor", L"USB Attached SCSI Mass Storage Device", 0);
	words("USB\\VID_0000&PID_0000\\TW-0002", DEVPKEY_Device_BusReportedDeviceDesc, L"Limpet");
	count("USB\\VID_0000&PID_0000\\TW-0002", DEVPKEY_Device_Address, 5);
	node(drives[1].instance, L"USB\\VID_0000&PID_0000\\TW-0002", L"disk", L"Disk drive", 0);
	connection();
	/* The disk on SATA. */
	node("PCI\\AHCI\\1", L"ACPI\\PNP0A08\\0", L"storahci", L"SATA Controller", 1);
	node(drives[2].instance, L"PCI\\AHCI\\1", L"disk", L"Disk drive", 1);
	/* The case on USB4: a port, the two ends of the switch in the case, and the drive. */
	node("PCI\\PORT\\2", L"ACPI\\PNP0A08\\0", L"pci", L"PCI Express Root Port", 1);
	pci("PCI\\PORT\\2", 1, 1, 1, 1);
	node("PCI\\UP\\1", L"PCI\\PORT\\2", L"pci", L"Barnacle", 0);
	pci("PCI\\UP\\1", 1, 4, 1, 4);
	node("PCI\\DOWN\\1", L"PCI\\UP\\1", L"pci", L"PCI Express Downstream Switch Port", 0);
	pci("PCI\\DOWN\\1", 3, 4, 3, 4);
	node("PCI\\TURNSTONE\\1", L"PCI\\DOWN\\1", L"stornvme", L"Standard NVM Express Controller", 0);
	pci("PCI\\TURNSTONE\\1", 3, 4, 4, 4);
	node(drives[3].instance, L"PCI\\TURNSTONE\\1", L"disk", L"Disk drive", 0);
	/* The card. */
	node("PCI\\SDHOST\\1", L"ACPI\\PNP0A08\\0", L"sdbus", L"SD Host Controller", 1);
	node(drives[4].instance, L"PCI\\SDHOST\\1", L"disk", L"Disk drive", 1);
	printf("\n ]\n}\n");
	return 0;
}
