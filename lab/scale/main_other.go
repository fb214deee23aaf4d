//go:build !linux

// Scale fills a logbook on a server with very many sessions, on Linux.
package main

func main() {}
