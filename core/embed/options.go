package embed

// Options describes the choices of a setting, by its key: value, name, what it does.
func (Settings) Options(key string) [][3]string {
	if key != "grade" {
		return nil
	}
	return [][3]string{
		{GradeEncoder, "sentence encoder", "Reaches passages that share no word with the question. Reads new text behind; word vectors serve meanwhile."},
		{GradeMany, "encoder of many languages", "For material or questions that are not all in English: a question in one language reaches a passage in another. Half as fast, and weaker on English alone."},
		{GradeWords, "word vectors", "At once, and weaker."},
		{GradeEndpoint, "a connected endpoint", "Whatever is connected that speaks the widely used embeddings protocol. Every chunk, and every question, is sent there."},
	}
}
