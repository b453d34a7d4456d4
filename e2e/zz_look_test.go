package e2e

import (
	"os"
	"strings"
	"testing"

	"loyallatch.example/latch/internal/testkit"
)

func TestZZLook(t *testing.T) {
	s := testkit.Demo(t)
	p := open(t, s.URL)
	who := ""
	for _, line := range strings.Split(os.Getenv("LOOK"), ";") {
		f := strings.Split(line, "|")
		if f[0] != who {
			if who != "" {
				p = open(t, s.URL)
			}
			who = f[0]
			p.signIn(who)
		}
		p.visit(f[1])
		p.see(f[2])
		for _, act := range f[4:] {
			k, v, _ := strings.Cut(act, "=")
			switch k {
			case "press":
				p.press(v)
			case "see":
				p.see(v)
			default:
				p.fill(k, v)
			}
		}
		p.shot("/tmp/shots/" + f[3] + ".png")
	}
}
