package desk

// Next is a house with what it takes over from the one before, for tests; told whether that is a list of people.
func Next(h, before *House) (*House, bool) {
	h.inherit(before)
	return h, h.earlier != nil
}
