package identity

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/store"
)

// lookMark begins the bearer tokens of those who look as somebody else.
const lookMark = "esa_"

// lookLife is how long one may look as somebody else before it is begun anew.
const lookLife = time.Hour

// A Look is somebody who looks at a dashboard as somebody else: as a person, or as a viewer of some roles and
// attributes. It is kept nowhere: the token is the look itself, sealed.
type Look struct {
	By        int64       `json:"by"` // who looks
	ByName    string      `json:"by_name"`
	Person    int64       `json:"person,omitempty"` // as whom, 0 for a viewer
	Viewer    rule.Viewer `json:"viewer"`
	Dashboard string      `json:"dashboard"`
	Draft     bool        `json:"draft,omitempty"`
	Until     time.Time   `json:"until"`
}

// Token is what a look is asked with.
func (l Look) Token(s *store.Store) (string, error) {
	l.Until = time.Now().Add(lookLife)
	b, err := json.Marshal(l)
	return lookMark + base64.RawURLEncoding.EncodeToString(s.Seal(string(b))), err
}

// byLook returns as whom somebody looks. Nothing is done as them.
func byLook(ctx context.Context, s *store.Store, bearer string) (*Caller, error) {
	none := problem.New(problem.NotFound, "", "There is no such look.")
	sealed, err := base64.RawURLEncoding.DecodeString(strings.TrimPrefix(bearer, lookMark))
	if err != nil {
		return nil, none
	}
	plain, err := s.Unseal(sealed)
	var l Look
	if err != nil || json.Unmarshal([]byte(plain), &l) != nil || !l.Until.After(time.Now()) {
		return nil, none
	}
	by, err := ByID(ctx, s, l.By)
	if err != nil {
		return nil, err
	}
	if !by.Builder {
		return nil, none
	}
	c := &Caller{Dashboards: []string{l.Dashboard}}
	c.Viewer = l.Viewer
	c.Viewer.ID, c.Viewer.Builder = fmt.Sprint("as/", l.By), false
	if l.Person != 0 {
		if c, err = ByID(ctx, s, l.Person); err != nil {
			return nil, err
		}
	}
	c.Looking, c.Expires = &l, l.Until
	return c, nil
}
