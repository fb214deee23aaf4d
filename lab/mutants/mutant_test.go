package main

import (
	"slices"
	"strings"
	"testing"
)

const source = `package p

import "fmt"

func f(a, b int) (int, error) {
	if a < b {
		fmt.Println("x")
	}
	return a + b*2, nil
}
`

func TestEveryOperatorBreaksSomething(t *testing.T) {
	mutants, err := mutantsIn("p.go", []byte(source))
	if err != nil {
		t.Fatal(err)
	}
	var seen []string
	for _, m := range mutants {
		seen = append(seen, m.operator+" "+m.becomes)
		made := string(m.broken([]byte(source)))
		if made == source || !strings.Contains(made, m.becomes) {
			t.Errorf("%s breaks nothing", m)
		}
	}
	for _, want := range []string{"negate !(a < b)", "shift a bound <=", "drop a call ", "swap -", "swap /",
		"change a constant (2 + 1)", "return early \nif true { return *new(int), *new(error) }\n"} {
		if !slices.Contains(seen, want) {
			t.Errorf("no %q among %q", want, seen)
		}
	}
	if len(mutants) != 7 {
		t.Errorf("%d breaks: %q", len(mutants), seen)
	}
}

func TestTheSameSeedDrawsTheSame(t *testing.T) {
	order := func(seed string) (places []string) {
		all, _ := mutantsIn("p.go", []byte(source))
		draw(all, seed)
		for _, m := range all {
			places = append(places, m.key())
		}
		return places
	}
	if !slices.Equal(order("a"), order("a")) {
		t.Error("a seed draws something else the second time")
	}
	if slices.Equal(order("a"), order("b")) && slices.Equal(order("a"), order("c")) {
		t.Error("three seeds draw the same")
	}
}
