package answer

// NamedOutcome is an outcome with what people call it.
type NamedOutcome struct {
	Name  Outcome `json:"name"`
	Label string  `json:"label"`
}

// Outcomes is the table of outcomes. It is not to be changed.
func Outcomes() []NamedOutcome { return outcomes }

var outcomes = []NamedOutcome{
	{Answered, "Answered"},
	{Refused, "Refused"},
	{Courteous, "Courtesy"},
	{ByRule, "By a house rule"},
	{HandedOver, "Handed over"},
	{AskedBack, "Asks back"},
	{Unjudged, "Searched only"},
}
