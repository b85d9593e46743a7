package money

// Ending is what a price may end with after a percentage: At beyond a multiple of
// Every, in minor units. The zero value asks for none.
type Ending struct{ Every, At Minor }

// Lower returns the greatest price with the ending that is above zero and at most p;
// p itself where there is none.
func (e Ending) Lower(p Minor) Minor {
	if e.Every <= 0 {
		return p
	}
	ends := p - (p-e.At)%e.Every
	if ends > p {
		ends -= e.Every // below At the remainder is negative
	}
	if ends <= 0 {
		return p
	}
	return ends
}

// EndingOf is what an amount says of endings: below one whole unit of its currency what
// follows the point (0.90), else what prices are a multiple of.
func EndingOf(a Amount) Ending {
	whole := Minor(1)
	for range a.Currency.Digits() {
		whole *= 10
	}
	switch {
	case a.Minor <= 0:
		return Ending{}
	case a.Minor < whole:
		return Ending{Every: whole, At: a.Minor}
	}
	return Ending{Every: a.Minor}
}
