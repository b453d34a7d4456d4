package org

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/words"
)

// A pattern of staff numbers is text with parts in braces: {n}, a counter, {n:4} with so many digits at least; {given}
// and {family}, letters of the names, {family:3} so many of them; {site}, the code of the home site.
var numberPart = regexp.MustCompile(`\{(given|family|site|n)(?::([0-9]{1,2}))?\}`)

// longestPart is of how many letters a name or a code is taken at most where the pattern does not say.
const longestPart = 10

// checkPattern says what is wrong with a pattern of staff numbers; an empty one is none.
func checkPattern(pattern string) error {
	if pattern == "" {
		return nil
	}
	counters, longest := 0, len(numberPart.ReplaceAllString(pattern, ""))
	for _, part := range numberPart.FindAllStringSubmatch(pattern, -1) {
		most, _ := strconv.Atoi(part[2])
		switch {
		case part[2] == "":
			most = longestPart
		case most == 0:
			return fmt.Errorf("%s holds nothing; say how many letters or digits, 1 or more", part[0])
		}
		if part[1] == "n" {
			counters++
			if most = 10; part[2] > "" {
				digits, _ := strconv.Atoi(part[2])
				most = max(most, digits)
			}
		}
		longest += most
	}
	switch {
	case counters != 1:
		return fmt.Errorf("a pattern has one counter, {n}, so that no two people get the same number")
	case longest > 32:
		return fmt.Errorf("numbers by this pattern may have %d characters; at most 32 fit, so say how many letters "+
			"of the names, such as {family:3}", longest)
	}
	if plain := numberPart.ReplaceAllString(pattern, ""); strings.Trim(plain, "abcdefghijklmnopqrstuvwxyz"+
		"ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789._-") != "" {
		return fmt.Errorf("beside {n}, {given}, {family} and {site} a pattern holds letters, digits, dots and dashes")
	}
	if number := fill(pattern, &people.Staff{}, "S", 1); !IsCode(number) {
		return fmt.Errorf("a staff number begins with a letter; %q would not", number)
	}
	return nil
}

// NumberOf returns the nth staff number for somebody by the numbering rule; site is the code of their home site.
func (r *Settings) NumberOf(p *people.Staff, site string, n uint32) string {
	if r.NumberPattern == "" {
		return r.StaffNumber(n)
	}
	return fill(r.NumberPattern, p, site, n)
}

// NumberedByName reports whether the numbering rule counts those of the same name, and not everybody.
func (r *Settings) NumberedByName() bool {
	return strings.Contains(r.NumberPattern, "{given") || strings.Contains(r.NumberPattern, "{family")
}

func fill(pattern string, p *people.Staff, site string, n uint32) string {
	return numberPart.ReplaceAllStringFunc(pattern, func(found string) string {
		part := numberPart.FindStringSubmatch(found)
		most, err := strconv.Atoi(part[2])
		switch {
		case part[1] == "n":
			return fmt.Sprintf("%0*d", most, n)
		case err != nil:
			most = longestPart
		}
		text := site
		switch part[1] {
		case "given":
			text = p.GivenName
		case "family":
			text = p.FamilyName
		}
		text = letters(text)
		return text[:min(len(text), most)]
	})
}

// letters are those of a text that a code may have, in capitals; X where it has none.
func letters(text string) string {
	text = strings.Map(func(r rune) rune {
		switch {
		case r >= 'a' && r <= 'z':
			return r - 'a' + 'A'
		case r >= '0' && r <= '9':
			return r
		}
		return -1
	}, words.Fold(text))
	if text == "" || text[0] <= '9' {
		return "X" + text
	}
	return text
}
