package decide

// suggest finds goods that close the gap of each nudge.
func (w *work) suggest(*Decision) error { return nil }
