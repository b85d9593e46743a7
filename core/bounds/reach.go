package bounds

import (
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/pricing"
)

// Reach lets every rung that is picked save on every free unit as if it were alone, and
// asks of each goal only that enough units can still be left to it; so no completion
// costs less. It fills low and high with what each line can cost at least and most, once
// the special rungs from one on, and the simple ones on the lines from one on,
// have taken their units; and returns the least that is paid in the end. False
// where a rung that is picked can no longer reach its goal.
func (b *Partial) Reach(special, line int) bool {
	p := b.P
	open := special < len(b.Special)
	b.Work += (len(p.Lines)*(1+len(b.wants)+8*(len(b.Special)-special)) + len(b.Claims)) / 64
	least := b.idle
	for _, i := range b.Touched {
		l, n := &p.Lines[i], b.Free[i]
		switch {
		case l.Quantity == 0:
			b.Low[i], b.High[i] = l.Amount, l.Amount
		case open:
			b.Low[i], b.High[i] = n*b.lowUnit[i], n*l.Unit
		case i < line:
			b.Low[i], b.High[i] = n*b.freeUnit[i], n*l.Unit
		default:
			b.Low[i], b.High[i] = n*b.lowUnit[i], n*b.highUnit[i]
		}
	}
	for _, c := range b.Claims {
		for _, part := range c.Parts {
			price := p.Lines[part.Line].Unit - part.Off
			b.Low[part.Line] += part.Qty * b.onTop(part.Line, price)
			b.High[part.Line] += part.Qty * price
		}
	}
	for _, i := range b.Touched {
		least += b.Low[i]
	}
	for _, pk := range b.Special[special:] {
		least -= mostSaved(p, pk, b.Free)
		u := &p.Units[pk.Unit]
		for _, i := range b.Touched {
			n := b.Free[i]
			if !u.On[i] || n == 0 || pk.Kind >= 0 && p.Kind(u, i) != pk.Kind {
				continue
			}
			b.Low[i] -= n * b.lowUnit[i]
			if !u.InSets() {
				unit := p.Lines[i].Unit
				b.Low[i] += n * min(b.lowUnit[i], b.onTop(i, unit-u.MostOff(unit)))
			}
			b.Low[i] = max(0, b.Low[i])
		}
	}
	if !open {
		// Each nudge loses by units of its own, rungs of one nudge perhaps by the same.
		var most money.Minor
		for i := range b.wants {
			w := &b.wants[i]
			loss, ok := b.missing(w, line)
			if !ok {
				return false
			}
			if i > 0 && b.wants[i-1].owner == w.owner {
				least += max(0, loss-most)
				most = max(most, loss)
				continue
			}
			least += loss
			most = loss
		}
	}
	b.Goods = max(0, least)
	return true
}

// mostSaved bounds what a special rung can save on free units.
func mostSaved(p *pricing.Problem, pk pricing.Pick, free []int64) money.Minor {
	u := &p.Units[pk.Unit]
	if u.WholeSets() {
		return setsSaved(p, pk, free)
	}
	var sum money.Minor
	for _, r := range p.Runs(u.On, free) {
		if pk.Kind < 0 || p.Kind(u, r.Line) == pk.Kind {
			if p.Saves(u, r.Line, r.Price) > 0 {
				sum += r.Qty * u.MostOff(r.Price)
			}
		}
	}
	return sum
}

// MostSets returns the claim of a reward in whole sets that saves most from the free
// units: sets from the dearest units down, as many as save money, at most limit
// rewarded units. Its time grows with lines, not with units.
func MostSets(p *pricing.Problem, pk pricing.Pick, free []int64, limit int64) pricing.Claim {
	u := &p.Units[pk.Unit]
	c := pricing.Claim{Unit: pk.Unit}
	runs := p.RunsOf(pk, u.On, free)
	most := limit / max(1, p.RewardedPerSet(u))
	for len(runs) > 0 && c.Sets < most {
		n := int64(1)
		var set []pricing.Run
		if runs[0].Qty >= u.Size {
			n = min(runs[0].Qty/u.Size, most-c.Sets)
			set = []pricing.Run{{Line: runs[0].Line, Qty: u.Size, Price: runs[0].Price}}
		} else {
			set = pricing.Cut(runs, u.Size)
		}
		parts := p.SetParts(u, set)
		if parts == nil {
			break
		}
		for _, part := range parts {
			part.Qty *= n
			c.Parts = append(c.Parts, part)
		}
		for _, r := range set {
			runs = drop(runs, r.Qty*n)
		}
		c.Sets += n
	}
	return c
}

// setsSaved is what [MostSets] saves without a limit; it is asked for far more often than
// how.
func setsSaved(p *pricing.Problem, pk pricing.Pick, free []int64) (sum money.Minor) {
	u := &p.Units[pk.Unit]
	runs := p.RunsOf(pk, u.On, free) // the dearest first
	for len(runs) > 0 {
		n, first, left := int64(1), 0, u.Size
		if runs[0].Qty >= u.Size {
			n = runs[0].Qty / u.Size
		}
		for ; first < len(runs) && runs[first].Qty < left; first++ {
			left -= runs[first].Qty
		}
		if first == len(runs) {
			break // no whole set
		}
		var one money.Minor // what one set saves: runs before first whole, and left of that
		if u.Form == pricing.SetPrice {
			for _, r := range runs[:first] {
				one += r.Price * r.Qty
			}
			one += runs[first].Price*left - u.Amount
		} else {
			take := u.Size - u.Pays // the cheapest of them are free
			for i, has := first, left; i >= 0 && take > 0; i-- {
				if i < first {
					has = runs[i].Qty
				}
				one += runs[i].Price * min(take, has)
				take -= min(take, has)
			}
		}
		if one <= 0 {
			break
		}
		sum += one * n
		runs = runs[first:]
		runs[0].Qty -= left * n
		if runs[0].Qty == 0 {
			runs = runs[1:]
		}
	}
	return sum
}

// drop takes n units off the first of runs.
func drop(runs []pricing.Run, n int64) []pricing.Run {
	if runs[0].Qty -= n; runs[0].Qty == 0 {
		return runs[1:]
	}
	return runs
}
