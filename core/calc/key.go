package calc

import (
	"strconv"
	"time"
	"unique"

	"eskadel/core/field"
	"eskadel/core/marks"
	"eskadel/core/query"
)

// A Kind tells what a key stands for.
type Kind int8

const (
	Whole    Kind = iota // no division: the key of the split of an unsplit chart
	One                  // one value
	Step                 // a step of a time axis
	Others               // everything that was cut
	NotShown             // links to records that the viewer may not see
	None                 // records without a value
)

// A Key is one value of a dimension, as it appears in a table.
type Key struct {
	Kind     Kind
	Partial  bool        // the step is cut by a filter, or has not ended
	Begun    bool        // the step has begun, or lies on a planned field
	Value    field.Value // for One
	Label    string      // of a linked record; other labels are made by core/format
	From, To time.Time   // for Step, half open
	Not      []string    // for Others within a group: the values that were kept there
	known    id          // what id returns, where the key was named
}

// An id identifies a key within its dimension.
type id = unique.Handle[string]

// A place is where the records of a group lie: by dimension the id of their key, the zero
// id where they are not divided by it.
type place [query.Most]id

// id identifies the key within its dimension.
func (k *Key) id() id {
	if k.known != (id{}) {
		return k.known
	}
	return unique.Make(k.Name())
}

// named returns the key with its id, for keys that are compared often.
func (k Key) named() Key {
	k.known = k.id()
	return k
}

// keyed is a named key that rows can share.
func keyed(k Key) *Key {
	k = k.named()
	return &k
}

// Name identifies the key within its dimension.
func (k Key) Name() string {
	switch k.Kind {
	case One:
		return "=" + k.Value.Exact()
	case Step:
		return "@" + strconv.FormatInt(k.From.UnixNano(), 36)
	}
	return [...]string{"*", "=", "@", "others", "not shown", "none"}[k.Kind]
}

// Same tells whether two keys of one dimension are the same.
func (k Key) Same(other Key) bool { return k.id() == other.id() }

// and is the place divided by further keys, the first of which is of dimension from.
func (p place) and(from int, keys []Key) place {
	for i := range keys {
		p[from+i] = keys[i].id()
	}
	return p
}

// place is where the records of a row lie.
func (f *fine) place() (p place) {
	for i, k := range f.keys {
		if k != nil {
			p[i] = k.id()
		}
	}
	return p
}

// by is the place divided by those dimensions only that have their bit in set.
func (p place) by(set int) place {
	for i := range p {
		if set&(1<<i) == 0 {
			p[i] = id{}
		}
	}
	return p
}

// without is the place with one dimension less.
func (p place) without(dim int) place {
	if dim >= 0 {
		copy(p[dim:], p[dim+1:])
		p[len(p)-1] = id{}
	}
	return p
}

// Ref is the key as a reference carries it.
func (k Key) Ref() marks.Key {
	switch k.Kind {
	case One:
		is := k.Value.Exact()
		return marks.Key{Is: &is}
	case Step:
		return marks.Key{From: &k.From, To: &k.To}
	case Others:
		return marks.Key{Others: true, Not: k.Not}
	case NotShown:
		return marks.Key{NotShown: true}
	case None:
		return marks.Key{None: true}
	}
	return marks.Key{}
}
