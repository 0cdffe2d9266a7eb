package find

// Options describes the choices of a setting, by its key: value, name, what it does and, where there is one, its source.
func (Settings) Options(key string) [][3]string {
	if key != "fusion" {
		return nil
	}
	return [][3]string{
		{ByScores, "by scores", "Each kind's scores, in standard deviations from their mean, weighted and summed."},
		{ByRanks, "by ranks", "Only the place in each list counts: 1/(60 + rank) (reciprocal rank fusion; Cormack, Clarke and Büttcher 2009)."},
	}
}
