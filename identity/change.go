package identity

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/store"
)

// A Change is what is given of a person who is added or changed. What is left out stays as
// it is.
type Change struct {
	Email      string
	Name       *string
	Builder    *bool
	Password   string // a new one; "" for none
	Roles      []string
	Attributes filter.Attributes
}

// Apply adds or changes a person, and says in words what was done.
func Apply(ctx context.Context, s *store.Tx, c Change) (done string, err error) {
	email := Email(c.Email)
	if !isEmail(email) {
		return "", problem.New(problem.Invalid, "email", "“%s” is not an e-mail address.", c.Email)
	}
	p, err := s.PersonByEmail(ctx, email)
	isNew := problem.Is(err, problem.NotFound)
	if err != nil && !isNew {
		return "", err
	}
	name := p.Name
	if c.Name != nil {
		name = strings.Join(strings.Fields(*c.Name), " ")
		switch {
		case name == "":
			return "", problem.New(problem.Missing, "name", "Write the person's name.")
		case len([]rune(name)) > longestName:
			return "", problem.New(problem.Invalid, "name", "A name has at most %d letters.", longestName)
		}
	}
	hash := ""
	if c.Password != "" {
		if hash, err = HashPassword(c.Password, name, email); err != nil {
			return "", err
		}
	}
	if isNew {
		if name == "" {
			return "", problem.New(problem.Missing, "name", "A new person needs a name.")
		}
		p = &store.Person{Name: name, Email: email, PasswordHash: hash, Builder: c.Builder != nil && *c.Builder}
		_, err = s.AddPerson(ctx, p, c.Roles, c.Attributes)
		return "added the person", err
	}
	var what []string
	if hash != "" {
		if err := s.SetPassword(ctx, p.ID, hash); err != nil {
			return "", err
		}
		what = append(what, "password")
	}
	roles, attributes := p.RoleList(), p.AttributeMap()
	if c.Name != nil {
		p.Name, what = name, append(what, "name")
	}
	if c.Builder != nil {
		if p.Builder && !*c.Builder {
			if err := another(ctx, s, email); err != nil {
				return "", err
			}
		}
		p.Builder, what = *c.Builder, append(what, "whether they are a builder")
	}
	if c.Roles != nil {
		roles, what = c.Roles, append(what, "roles")
	}
	if c.Attributes != nil {
		attributes, what = c.Attributes, append(what, "attributes")
	}
	if len(what) == 0 {
		return "", problem.New(problem.Missing, "", "Nothing to change was given.")
	}
	return "changed the person's " + strings.Join(what, ", "), s.ChangePerson(ctx, p, roles, attributes)
}

// Email is an e-mail address as it is kept, and people are found by.
func Email(typed string) string { return strings.ToLower(strings.TrimSpace(typed)) }

// isEmail tells whether something can be the address of a person.
func isEmail(email string) bool {
	at := strings.LastIndexByte(email, '@')
	odd := func(r rune) bool { return r <= ' ' || r == utf8.RuneError || strings.ContainsRune("\x7f,;<>\"", r) }
	return at > 0 && at < len(email)-1 && len(email) <= longestEmail && !strings.ContainsFunc(email, odd)
}

// longestName is how many letters the name of a person has at most.
const longestName = 100

// End lets a person in no more; somebody who looks after people must be left.
func End(ctx context.Context, tx *store.Tx, p *store.Person) error {
	if p.Builder {
		if err := another(ctx, tx, p.Email); err != nil {
			return err
		}
	}
	return tx.EndPerson(ctx, p.ID)
}

// another tells whether there is a builder besides the one of an address.
func another(ctx context.Context, s *store.Tx, email string) error {
	people, err := s.People(ctx)
	comesIn := func(p store.Person) bool { return p.Builder && p.Email != email && !p.Ended() && !p.Invited() }
	if err == nil && !slices.ContainsFunc(people, comesIn) {
		err = problem.New(problem.Conflict, "builder", "There is no other builder who signs in. Make somebody else one first.")
	}
	return err
}

// Typed writes an attribute's value as Attributes reads it: a list value by value.
func Typed(value any) (out []string) {
	list, several := value.([]any)
	if !several {
		list = []any{value}
	}
	for _, v := range list {
		if v != nil {
			out = append(out, fmt.Sprint(v))
		}
	}
	return out
}

// Attributes reads attributes as they are typed, "yard=3"; a name that is given several
// times holds a list. There are none where nothing is typed.
func Attributes(typed []string) (filter.Attributes, error) {
	var out filter.Attributes
	for _, one := range typed {
		name, value, ok := strings.Cut(one, "=")
		name, value = strings.TrimSpace(name), strings.TrimSpace(value)
		if !ok || name == "" {
			return nil, problem.New(problem.Invalid, "attributes", "“%s” is not an attribute: write its name, = and its value.", one)
		}
		if out == nil {
			out = filter.Attributes{}
		}
		switch before := out[name].(type) {
		case nil:
			out[name] = value
		case []any:
			out[name] = append(before, value)
		default:
			out[name] = []any{before, value}
		}
	}
	return out, nil
}
