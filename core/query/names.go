package query

// Named is a pass, or a way to search, with what people call it.
type Named struct {
	Name  string `json:"name"`
	Label string `json:"label"`
}

// Passes is the table of passes and of ways to search, as they stand in the trace of a reading. It is not to be changed.
func Passes() []Named { return passes }

var passes = []Named{
	{PassAsked, "As asked"},
	{PassCourtesy, "Courtesy or question"},
	{PassSplit, "Several questions"},
	{PassCommands, "Orders to the assistant"},
	{PassLanguage, "Language"},
	{PassFiller, "Filler"},
	{PassSpelling, "Spelling"},
	{PassFollowUp, "Follow-up"},
	{PassGlossary, "Glossary"},
	{PassCompound, "Compounds"},
	{PassRelated, "Related terms"},
	{PassFeedback, "Feedback"},
	{PassModel, "Worded by a model"},
	{SearchRewritten, "As rewritten"},
	{SearchPassage, "A passage that might answer it"},
}
