// Package lab is a bench of virtual hardware: a machine with NVMe, USB and SATA
// drives behind links of different widths and speeds, in which the program is
// run and its documents are checked. It holds tests alone; "make lab" runs them.
package lab
