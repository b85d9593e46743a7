package nudge

import "encoding/json"

// Clone returns a deep copy in canonical form: what reading its JSON form back
// gives.
func (d Definition) Clone() Definition {
	b, err := json.Marshal(d)
	if err != nil {
		return d
	}
	var out Definition
	if json.Unmarshal(b, &out) != nil {
		return d
	}
	return out
}
