package folder

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"eskadel/core/problem"
)

// A Workspace is one that is spoken with over its API.
type Workspace struct {
	Address string // http://127.0.0.1:8080
	Key     string // an API key
	Names   Names  // what is called otherwise there
	tags    map[Key]string
}

// answer is a refusal as the API writes it.
type answer struct{ Detail, Place string }

// do sends a request and returns the answer, with the state of what was asked for.
func (w *Workspace) do(ctx context.Context, method, path string, body []byte, tag string, into any) (state string, err error) {
	ctx, cancel := context.WithTimeout(ctx, time.Minute)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, method, strings.TrimSuffix(w.Address, "/")+"/api/v1"+path, bytes.NewReader(body))
	if err != nil {
		return "", problem.New(problem.Invalid, "", "“%s” is not the address of a workspace, such as https://boards.example.org.", w.Address)
	}
	r.Header.Set("Authorization", "Bearer "+w.Key)
	r.Header.Set("Content-Type", "application/json")
	if tag != "" {
		r.Header.Set("If-Match", tag)
	}
	response, err := http.DefaultClient.Do(r)
	if err != nil {
		return "", fmt.Errorf("the workspace at %s does not answer: %w", w.Address, err)
	}
	defer response.Body.Close()
	b, err := io.ReadAll(io.LimitReader(response.Body, 64<<20))
	if err != nil {
		return "", err
	}
	if response.StatusCode/100 != 2 {
		var a answer
		if json.Unmarshal(b, &a) != nil || a.Detail == "" {
			a.Detail = fmt.Sprintf("%s answers %s to %s %s.", w.Address, response.Status, method, path)
		}
		code := problem.Invalid
		switch response.StatusCode {
		case http.StatusUnauthorized, http.StatusForbidden:
			code = problem.Forbidden
		case http.StatusNotFound:
			code = problem.NotFound
		case http.StatusPreconditionFailed, http.StatusPreconditionRequired:
			code = problem.Outdated
		}
		return "", problem.New(code, a.Place, "%s", a.Detail)
	}
	if into != nil {
		err = json.Unmarshal(b, into)
	}
	return response.Header.Get("ETag"), err
}

// at is the address of a document.
func at(k Key) string {
	if k.Kind == Rules {
		return "/sources/" + url.PathEscape(k.Name) + "/rules"
	}
	return "/" + k.Kind + "/" + url.PathEscape(k.Name)
}

// A Skipped is what a workspace holds and does not give.
type Skipped struct {
	Key   Key
	Words string
}

// Documents are what the workspace holds, drafts of dashboards and charts as they are, called as in
// the files.
func (w *Workspace) Documents(ctx context.Context) (out Documents, skipped []Skipped, err error) {
	w.tags = map[Key]string{}
	there := Documents{}
	for _, kind := range kinds {
		list := "/" + kind
		if kind == Rules {
			list = "/sources"
		}
		var found []struct {
			Name, Trouble string
			MayChange     *bool `json:"may_change"`
			System        bool
		}
		if _, err := w.do(ctx, http.MethodGet, list, nil, "", &found); problem.Is(err, problem.Forbidden) && kind == Rules {
			skipped = append(skipped, Skipped{Key{kind, ""}, "The key is not a builder's: row rules stay as they are."})
			continue
		} else if err != nil {
			return nil, nil, err
		}
		for _, f := range found {
			k := Key{kind, f.Name}
			path := at(k)
			if kind == Dashboards {
				path += "?draft=yes"
			}
			var body json.RawMessage
			tag, err := w.do(ctx, http.MethodGet, path, nil, "", &body)
			if err == nil {
				there[k], err = tidy(k, body)
			}
			if p := problem.Of(err); p != nil {
				skipped = append(skipped, Skipped{k, p.Words})
				continue
			}
			if err != nil {
				return nil, nil, err
			}
			if kind == Rules && bytes.Contains(there[k], []byte(`"tables": []`)) {
				delete(there, k) // nothing is said of it yet
				continue
			}
			w.tags[k] = tag
		}
	}
	out, err = w.Names.back().all(there)
	return out, skipped, err
}

// put keeps a document, which is called as in the files, where its state is still the one that was
// read.
func (w *Workspace) put(ctx context.Context, k Key, body []byte) error {
	there, body, err := w.Names.apply(k, body)
	if err != nil {
		return err
	}
	tag, err := w.do(ctx, http.MethodPut, at(there), body, w.tags[there], nil)
	if err == nil {
		w.tags[there] = tag
	}
	return err
}

// publish shows readers what was put.
func (w *Workspace) publish(ctx context.Context, k Key) error {
	there, body := k, []byte("{}")
	switch k.Kind {
	case Dashboards:
		there.Name = called(w.Names.Dashboards, k.Name)
	case Charts:
		there.Name, body = called(w.Names.Charts, k.Name), []byte(`{"where":"everywhere"}`)
	default:
		return nil // it holds as soon as it is kept
	}
	_, err := w.do(ctx, http.MethodPost, at(there)+"/publish", body, "", nil)
	return err
}

// remove takes a document away, where its state is still the one that was read.
func (w *Workspace) remove(ctx context.Context, k Key, body []byte) error {
	there, _, err := w.Names.apply(k, body)
	if err != nil {
		return err
	}
	_, err = w.do(ctx, http.MethodDelete, at(there), nil, w.tags[there], nil)
	return err
}

// changes says in words what a document, called as in the files, would change in the workspace.
func (w *Workspace) changes(ctx context.Context, k Key, body []byte) ([]string, error) {
	there, body, err := w.Names.apply(k, body)
	if err != nil {
		return nil, err
	}
	var out struct{ Changes []string }
	_, err = w.do(ctx, http.MethodPost, at(there)+"/changes", body, "", &out)
	return out.Changes, err
}
