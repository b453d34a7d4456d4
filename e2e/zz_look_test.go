package e2e

import (
	"testing"

	"loyallatch.example/latch/internal/testkit"
)

func TestLookAtPages(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	p.signIn("maren")
	p.visit("/qualifications")
	p.see("Forklift ticket")
	p.shot("/tmp/shots/q1.png")
	p.visit("/qualifications/FORKLIFT")
	p.see("Mato Marsh")
	p.shot("/tmp/shots/q2.png")
	p.visit("/staff/Q0138")
	p.see("Forklift ticket")
	p.press("Record a certificate")
	p.see("Number on it")
	p.set("Qualification", "FORKLIFT")
	p.see("gains")
	p.shot("/tmp/shots/q3.png")
	p.visit("/staff/Q0138")
	p.see("Record a certificate")
	p.press("Change the certificate in Forklift ticket")
	p.see("Withdraw")
	p.shot("/tmp/shots/q4.png")
}
