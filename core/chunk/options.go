package chunk

// Options describes the choices of a setting, by its key: value, name, what it does and, where there is one, its source.
func (Settings) Options(key string) [][3]string {
	switch key {
	case "strategy":
		return [][3]string{
			{Structure, "By structure", "Sections by their headings; lists and tables stay whole where they fit, long tables are cut between rows with their header repeated. The heading path is added as context."},
			{Questions, "Questions with answers", "As by structure, and a question with its answer, or a term with its definition, is a chunk of its own. What is too long carries its question along."},
			{Subject, "Change of subject", "Cuts where the words, or what they mean, change (TextTiling, Hearst 1997). For long texts without headings."},
			{Sentences, "Whole sentences", "Packs whole sentences to the size, whatever the headings."},
			{Small, "Small with their section", "Searches small chunks, and hands over the section around the one that is found."},
			{Captions, "Windows of time", "What is said in a film or recording, cut into stretches of about the same length; everything else by structure."},
			{Fixed, "Fixed tokens", "Every so many tokens, wherever that falls. A yardstick for the others."},
		}
	case "told":
		return [][3]string{
			{ByWords, "the words used", "Which words stand on either side (Hearst 1997)."},
			{ByMeaning, "what is meant", "How alike the sentences on either side are in meaning, by the built-in word vectors."},
		}
	}
	return nil
}
