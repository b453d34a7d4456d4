package words

import "slices"

// Nearest returns of the texts the one that differs least from what was typed, where it differs little: by a third of
// its letters at most. Both are folded first; of equally near ones the first.
func Nearest(typed string, texts []string) (nearest string, found bool) {
	word := []rune(Fold(Tidy(typed)))
	best := len(word)/3 + 1
	for _, text := range texts {
		if d := distance([]rune(Fold(text)), word, best); d < best {
			nearest, best, found = text, d, true
		}
	}
	return nearest, found
}

// Likeness says how alike two names are, from 0 to 1: the Jaro–Winkler similarity of the folded texts (W. E. Winkler,
// String Comparator Metrics and Enhanced Decision Rules in the Fellegi–Sunter Model of Record Linkage, 1990), with its
// usual weight of 0.1 for up to four letters that both begin with.
func Likeness(a, b string) float64 { return LikenessFolded(Fold(Tidy(a)), Fold(Tidy(b))) }

// LikenessFolded is Likeness of texts that are folded already.
func LikenessFolded(a, b string) float64 {
	x, y := []rune(a), []rune(b)
	jaro := jaro(x, y)
	same := 0
	for same < min(4, len(x), len(y)) && x[same] == y[same] {
		same++
	}
	return jaro + float64(same)*0.1*(1-jaro)
}

// jaro is the similarity of Jaro: of letters that stand near one another in both, and of how many of those are swapped.
func jaro(x, y []rune) float64 {
	if len(x) == 0 || len(y) == 0 {
		return 0
	}
	if slices.Equal(x, y) {
		return 1
	}
	reach := max(len(x), len(y))/2 - 1
	var ofX []rune
	taken := make([]bool, len(y))
	for i, letter := range x {
		for j := max(0, i-reach); j < min(len(y), i+reach+1); j++ {
			if !taken[j] && y[j] == letter {
				taken[j] = true
				ofX = append(ofX, letter)
				break
			}
		}
	}
	if len(ofX) == 0 {
		return 0
	}
	swapped, k := 0, 0
	for j, is := range taken {
		if is {
			if y[j] != ofX[k] {
				swapped++
			}
			k++
		}
	}
	m := float64(len(ofX))
	return (m/float64(len(x)) + m/float64(len(y)) + (m-float64(swapped/2))/m) / 3
}
