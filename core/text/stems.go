package text

// Stems are the stems of some texts, stop words left out, as a set.
func Stems(ss ...string) map[string]bool {
	m := map[string]bool{}
	for _, s := range ss {
		for w := range StemsOf(Words(s)) {
			m[w] = true
		}
	}
	return m
}

// StemsOf are the stems of some words, stop words left out, as a set.
func StemsOf(words []Word) map[string]bool {
	m := make(map[string]bool, len(words))
	for _, w := range words {
		if !Stop(w.Norm) {
			m[w.Stem] = true
		}
	}
	return m
}
