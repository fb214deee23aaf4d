/* Prints what the headers of MinGW-w64 say of the names that are put in below. */
#define _WIN32_WINNT 0x0A00
#define NTDDI_VERSION 0x0A00000B
#define WIN32_LEAN_AND_MEAN
#include <stddef.h>
#include <stdio.h>
#include <windows.h>
#include <initguid.h>
#include <winioctl.h>
#include <usbioctl.h>
#include <usbspec.h>
#include <nvme.h>
#include <devpropdef.h>
#include <devpkey.h>
#include <pciprop.h>

static void guid(const GUID *g) {
	printf("{%08lx-%04x-%04x-%02x%02x-", g->Data1, g->Data2, g->Data3, g->Data4[0], g->Data4[1]);
	for (int i = 2; i < 8; i++)
		printf("%02x", g->Data4[i]);
	printf("}");
}

#define FIELD(s, f) printf("field %s.%s %u %u\n", #s, #f, (unsigned)offsetof(s, f), (unsigned)sizeof(((s *)0)->f));
#define NUMBER(n) printf("number %s %lu\n", #n, (unsigned long)(n));
#define KEY(k) printf("key %s ", #k); guid(&k.fmtid); printf(" %lu\n", k.pid);
#define CLASS(c) printf("class %s ", #c); guid(&c); printf("\n");

int main(void) {
/* names */
	return 0;
}
