// Package wine holds the Windows program against a file system that counts for itself,
// under Wine. It has nothing but tests, which run one after the other.
package wine
