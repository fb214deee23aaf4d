"""Writes one made-up machine as its kernel would tell of it on Linux and on macOS, and packs
what windows.c answers: three captures, by nothing of the program that reads them.

usage: machine.py FOLDER [WINDOWS.json]
"""
import gzip
import io
import plistlib
import struct
import sys
import tarfile

SANDPIPER, LIMPET, CURLEW = 1000204886016, 1000204886016, 500107862016
TURNSTONE, PEBBLE = 2000398934016, 31914983424


def pack(name, files):
    """files: content, or a link as ("->", target)."""
    folders = set()
    for path in files:
        parts = path.split("/")[:-1]
        folders.update("/".join(parts[: i + 1]) for i in range(len(parts)))
    raw = io.BytesIO()
    with tarfile.open(fileobj=raw, mode="w", format=tarfile.PAX_FORMAT) as archive:
        for path in sorted(folders | set(files)):
            entry = tarfile.TarInfo(path)
            entry.mode = 0o644
            content = files.get(path)
            if content is None:
                entry.type, entry.mode = tarfile.DIRTYPE, 0o755
                archive.addfile(entry)
            elif isinstance(content, tuple):
                entry.type, entry.linkname = tarfile.SYMTYPE, content[1]
                archive.addfile(entry)
            else:
                entry.size = len(content)
                archive.addfile(entry, io.BytesIO(content))
    with open(name, "wb") as out:
        with gzip.GzipFile(filename="", fileobj=out, mode="wb", mtime=0) as packed:
            packed.write(raw.getvalue())


def store():
    """A SuperSpeed capability, and a SuperSpeedPlus one of 10 Gbit/s each way."""
    super_speed = struct.pack("<BBBBHBBH", 10, 16, 3, 0, 14, 0, 3, 0)
    plus = struct.pack("<BBBBIHHII", 20, 16, 10, 0, 1, 0x1100, 0, 0x000A4030, 0x000A40B0)
    return struct.pack("<BBHB", 5, 15, 5 + len(super_speed) + len(plus), 2) + super_speed + plus


def linux():
    files = {}

    def put(folder, **texts):
        for key, value in texts.items():
            files[folder + "/" + key.replace("__", "/")] = value if isinstance(value, (bytes, tuple)) else (str(value) + "\n").encode()

    def link(folder, speed, width, most, widest, pci_class):
        put(folder, current_link_speed=speed + " GT/s PCIe", current_link_width=width, max_link_speed=most + " GT/s PCIe",
            max_link_width=widest)
        files[folder + "/class"] = (pci_class + "\n").encode()

    def block(name, folder, size, number, rotational=None):
        put(folder, size=size // 512, dev=number)
        if rotational is not None:
            put(folder, queue__rotational=rotational)
        files["sys/block/" + name] = ("->", "../" + folder[len("sys/"):])
        files["sys/dev/block/" + number] = ("->", "../../" + folder[len("sys/"):])

    root = "sys/devices/pci0000:00/"
    port, drive = root + "0000:00:01.0", root + "0000:00:01.0/0000:01:00.0"
    link(port, "8.0", 2, "16.0", 4, "0x060400")
    link(drive, "8.0", 2, "8.0", 4, "0x010802")
    controller = drive + "/nvme/nvme0"
    put(controller, model="Sandpiper 1TB", serial="TW-0001", firmware_rev="1.2", hwmon1__temp1_input=42000,
        hwmon1__temp2_input=45000, hwmon1__temp2_label="Sensor 1")
    block("nvme0n1", controller + "/nvme0n1", SANDPIPER, "259:0", 0)
    files[controller + "/nvme0n1/device"] = ("->", "../../nvme0")

    xhci = root + "0000:00:14.0"
    put(xhci, usb1__speed=480, usb2__speed=10000, usb2__bDeviceClass="09")
    case = xhci + "/usb2/2-5"
    put(case, bDeviceClass="00", speed=5000, rx_lanes=1, product="Limpet", bos_descriptors=store())
    files[case + "/2-5:1.0/bInterfaceClass"] = b"08\n"
    files[case + "/2-5:1.0/driver"] = ("->", "../../../../../../bus/usb/drivers/uas")
    scsi = case + "/2-5:1.0/host0/target0:0:0/0:0:0:0"
    put(scsi, vendor="Limpet", model="Case", rev="0100", vpd_pg80=b"\x00\x80\x00\x07TW-0002")
    block("sda", scsi + "/block/sda", LIMPET, "8:0", 0)
    put(scsi + "/block/sda", removable=1)
    files[scsi + "/block/sda/device"] = ("->", "../../../0:0:0:0")

    ata = root + "0000:00:17.0/ata1"
    put(ata, ata_port__ata1__port_no=1, link1__ata_link__link1__sata_spd="3.0 Gbps",
        link1__ata_link__link1__hw_sata_spd_limit="6.0 Gbps")
    files[ata + "/link1/dev1.0/ata_device/dev1.0/id"] = ("0000 " * 76 + "000e 0004\n").encode()
    scsi = ata + "/host1/target1:0:0/1:0:0:0"
    put(scsi, vendor="ATA", model="Curlew 500", rev="CC01", vpd_pg80=b"\x00\x80\x00\x07TW-0003")
    block("sdb", scsi + "/block/sdb", CURLEW, "8:16", 1)
    files[scsi + "/block/sdb/device"] = ("->", "../../../1:0:0:0")

    tunnel = root + "0000:00:07.0"
    link(tunnel, "2.5", 1, "2.5", 1, "0x060400")
    put(tunnel, removable="fixed")
    link(tunnel + "/0000:20:00.0", "2.5", 4, "2.5", 4, "0x060400")
    put(tunnel + "/0000:20:00.0", removable="removable")
    link(tunnel + "/0000:20:00.0/0000:21:01.0", "8.0", 4, "8.0", 4, "0x060400")
    far = tunnel + "/0000:20:00.0/0000:21:01.0/0000:22:00.0"
    link(far, "8.0", 4, "16.0", 4, "0x010802")
    put("sys/bus/thunderbolt/devices/0-0", device_name="Cabin Desk")
    put("sys/bus/thunderbolt/devices/0-1", device_name="Barnacle", rx_speed="20.0 Gb/s", rx_lanes=2)
    put(far + "/nvme/nvme1", model="Turnstone 2TB", serial="TW-0004", firmware_rev="2.0")
    block("nvme1n1", far + "/nvme/nvme1/nvme1n1", TURNSTONE, "259:1", 0)
    files[far + "/nvme/nvme1/nvme1n1/device"] = ("->", "../../nvme1")

    card = "sys/devices/platform/sdhci/mmc_host/mmc0/mmc0:aaaa"
    put(card, name="Pebble", type="SD", cid="TW-0005")
    block("mmcblk0", card + "/block/mmcblk0", PEBBLE, "179:0")
    files[card + "/block/mmcblk0/device"] = ("->", "../../../mmc0:aaaa")
    put(card + "/block/mmcblk0", removable=1)
    put("sys/kernel/debug/mmc0", ios="clock:\t\t208000000 Hz\ntiming spec:\t6 (sd uhs SDR104)")
    files["proc/self/mountinfo"] = (b"22 1 259:0 / / rw,relatime - ext4 /dev/nvme0n1 rw\n"
                                    b"31 22 8:0 / /media/limpet rw - exfat /dev/sda rw\n"
                                    b"32 22 8:16 / /media/curlew rw - ext4 /dev/sdb rw\n")
    return files


def health(celsius):
    """The health page of an NVMe drive, by the figures of its specification."""
    page = bytearray(512)
    struct.pack_into("<H", page, 1, celsius + 273)
    page[3], page[5] = 100, 3
    struct.pack_into("<Q", page, 48, 200)
    struct.pack_into("<Q", page, 160, 1)
    struct.pack_into("<I", page, 192, 2)
    struct.pack_into("<H", page, 200, celsius + 273 + 3)
    return bytes(page)


def identity():
    page = bytearray(4096)
    struct.pack_into("<HH", page, 266, 80 + 273, 85 + 273)
    return bytes(page)


def macos():
    number = iter(range(0x100000100, 0x100001000))

    def entry(name, kind, children=(), **more):
        made = {"IORegistryEntryName": name, "IOObjectClass": kind, "IORegistryEntryID": next(number)}
        made.update({key.replace("__", " "): value for key, value in more.items()})
        if children:
            made["IORegistryEntryChildren"] = list(children)
        return made

    def medium(bsd, size, whole, children=(), **more):
        more = {"BSD Name": bsd, "Size": size, "Whole": whole, "Preferred Block Size": 512, "Writable": True, **more}
        return entry(bsd, "IOMedia", children, **more)

    def driver(children):
        return entry("IOBlockStorageDriver", "IOBlockStorageDriver", children, Statistics={
            "Bytes (Read)": 1000000, "Bytes (Write)": 2000000, "Total Time (Read)": 3000000, "Total Time (Write)": 4000000,
            "Errors (Read)": 1, "Errors (Write)": 0, "Retries (Read)": 0, "Retries (Write)": 2})

    def device(kind, interconnect, product, serial, revision, medium_type, children, vendor=None):
        what = {"Product Name": product, "Serial Number": serial, "Product Revision Level": revision}
        if medium_type:
            what["Medium Type"] = medium_type
        if vendor:
            what["Vendor Name"] = vendor
        return entry(kind, kind, [driver(children)], **{
            "Device Characteristics": what,
            "Protocol Characteristics": {"Physical Interconnect": interconnect, "Physical Interconnect Location": "Internal"}})

    def pci(name, code, status, capabilities, children, **more):
        def register(generation, lanes):
            return generation | lanes << 4
        return entry(name, "IOPCIDevice", children, **{
            "class-code": struct.pack("<I", code), "IOPCIExpressLinkStatus": register(*status),
            "IOPCIExpressLinkCapabilities": register(*capabilities), **more})

    def bridge(children):
        return entry("IOPCI2PCIBridge", "IOPCI2PCIBridge", children)

    container = entry("AppleAPFSContainerScheme", "AppleAPFSContainerScheme", [
        medium("disk5", SANDPIPER - (2 << 20), True, [
            entry("AppleAPFSContainer", "AppleAPFSContainer", [medium("disk5s1", SANDPIPER - (2 << 20), False)])])])
    sandpiper = pci("RP01", 0x060400, (3, 2), (4, 4), [bridge([
        pci("SSD0", 0x010802, (3, 2), (3, 4), [entry("IONVMeController", "IONVMeController", [
            device("IONVMeBlockStorageDevice", "PCI-Express", "Sandpiper 1TB", "TW-0001", "1.2", "Solid State", [
                medium("disk0", SANDPIPER, True, [medium("disk0s2", SANDPIPER - (2 << 20), False, [container])])])],
            **{"opengauge health page": health(42), "opengauge controller page": identity()})])])])
    limpet = entry("XHC1", "IOPCIDevice", [entry("AppleUSBXHCIPCI", "AppleUSBXHCIPCI", [
        entry("Limpet", "IOUSBHostDevice", [
            entry("IOUSBHostInterface", "IOUSBHostInterface", [entry("IOUSBMassStorageUASDriver", "IOUSBMassStorageUASDriver", [
                device("IOSCSIPeripheralDeviceType00", "USB", "Case", "TW-0002", "0100", "Solid State", [
                    medium("disk1", LIMPET, True, [medium("disk1s1", LIMPET - (2 << 20), False)], Ejectable=True)],
                    vendor="Limpet")])])],
            **{"USB Product Name": "Limpet", "UsbLinkSpeed": 5000000000, "Device Speed": 3})])],
        **{"class-code": struct.pack("<I", 0x0C0330)})
    curlew = entry("SATA", "IOPCIDevice", [entry("AppleAHCI", "AppleAHCI", [
        device("IOAHCIBlockStorageDevice", "SATA", "Curlew 500", "TW-0003", "CC01", "Rotational", [
            medium("disk2", CURLEW, True, [medium("disk2s1", CURLEW - (2 << 20), False)])])])],
        **{"class-code": struct.pack("<I", 0x010601)})
    turnstone = pci("RP07", 0x060400, (1, 1), (1, 1), [bridge([
        pci("UPSB", 0x060400, (1, 4), (1, 4), [bridge([
            pci("DSB1", 0x060400, (3, 4), (3, 4), [bridge([
                pci("pci-drive", 0x010802, (3, 4), (4, 4), [entry("IONVMeController", "IONVMeController", [
                    device("IONVMeBlockStorageDevice", "PCI-Express", "Turnstone 2TB", "TW-0004", "2.0", "Solid State", [
                        medium("disk3", TURNSTONE, True)])])], IOPCITunnelled=True)])], IOPCITunnelled=True)])],
            IOPCITunnelled=True)])])
    pebble = entry("SDHC", "IOPCIDevice", [device("AppleSDXCBlockStorageDevice", "Secure Digital", "Pebble", "TW-0005", "", None, [
        medium("disk4", PEBBLE, True, Removable=True)])])

    def lane(port, speed, width, most, widest, children=()):
        return entry("IOThunderboltPort", "IOThunderboltPort", children, **{
            "Port Number": port, "Current Link Speed": speed, "Current Link Width": width, "Supported Link Speed": most,
            "Supported Link Width": widest, "Description": "Thunderbolt Port"})

    thunderbolt = entry("IOThunderboltController", "IOThunderboltController", [
        entry("IOThunderboltSwitchHost", "IOThunderboltSwitchType7", [
            lane(1, 4, 2, 12, 3, [entry("IOThunderboltSwitch", "IOThunderboltSwitchUSB4", [lane(1, 4, 2, 12, 3), lane(2, 8, 1, 12, 3)],
                                        **{"Depth": 1, "Upstream Port Number": 1, "Device Model Name": "Barnacle",
                                           "Thunderbolt Version": 0x20})])],
            **{"Depth": 0, "Device Model Name": "Cabin Desk"})])
    root = entry("Root", "IORegistryEntry", [entry("J000AP", "IOPlatformExpertDevice", [
        sandpiper, limpet, curlew, turnstone, pebble, thunderbolt])])
    mounts = [
        {"source": "/dev/disk5s1s1", "at": "/", "file_system": "apfs", "options": "ro"},
        {"source": "/dev/disk1s1", "at": "/Volumes/limpet", "file_system": "exfat"},
        {"source": "/dev/disk2s1", "at": "/Volumes/curlew", "file_system": "hfs"},
    ]
    return {"macos.plist": plistlib.dumps({"format": "opengauge.macos/1", "registry": root, "mounts": mounts})}


folder = sys.argv[1]
pack(folder + "/linux.tar.gz", linux())
pack(folder + "/macos.tar.gz", macos())
if len(sys.argv) > 2:
    with open(sys.argv[2], "rb") as answers:
        pack(folder + "/windows.tar.gz", {"windows.json": answers.read().replace(b"\r\n", b"\n")})
