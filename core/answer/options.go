package answer

// Options names the choices of a setting: value, label, help.
func (Settings) Options(key string) [][3]string {
	switch key {
	case "composer":
		return [][3]string{
			{BySentences, "Sentences of the evidence", "Sentences and table cells are selected, ordered and trimmed: nothing is worded anew, and the same question gives the same reply."},
			{ByModel, "A connected model", "Every sentence it writes is held against the passages that it cites. Where it does not answer, sentences of the evidence stand in."},
		}
	case "unsupported":
		return [][3]string{
			{Withhold, "Withhold it", "It is not said; the trail keeps it."},
			{Mark, "Say it, marked", "It is said with a mark. Claims of deeds are withheld all the same."},
		}
	}
	return nil
}
