package folder

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"eskadel/core/problem"
)

// settingsFile says which workspaces a folder is for; it belongs under version control.
// stateFile holds what was last the same here and in each workspace; it does not.
const (
	settingsFile = "eskadel.json"
	stateFile    = ".eskadel.json"
)

// Settings are what a folder says of the workspaces that it is for.
type Settings struct {
	Version    int                    `json:"version"`
	Workspaces map[string]WorkspaceAt `json:"workspaces,omitempty"`
}

// A WorkspaceAt is where a workspace answers, and what is called otherwise there.
type WorkspaceAt struct {
	Address string `json:"address"`
	Names   Names  `json:"names,omitzero"`
}

// ReadSettings reads what a folder says; nothing where it has no such file.
func ReadSettings(dir string) (*Settings, error) {
	s := &Settings{Version: 1}
	body, err := os.ReadFile(filepath.Join(dir, settingsFile))
	if errors.Is(err, fs.ErrNotExist) {
		return s, nil
	}
	if err != nil {
		return nil, err
	}
	if err := problem.Decode(body, s); err != nil {
		return nil, problem.At(settingsFile, err)
	}
	if s.Version != 1 {
		return nil, problem.New(problem.Invalid, settingsFile, "This file is of version %d; this program reads 1.", s.Version)
	}
	return s, nil
}

// Workspace is the one that a folder calls by a name, or the only one that it names, or the one at
// an address.
func (s *Settings) Workspace(name, address, key string) (*Workspace, error) {
	if key == "" {
		return nil, problem.New(problem.Missing, "", "Put an API key into ESKADEL_API_KEY; it is made under People in Eskadel.")
	}
	if address != "" {
		return &Workspace{Address: address, Key: key}, nil
	}
	if name == "" && len(s.Workspaces) == 1 {
		for only := range s.Workspaces {
			name = only
		}
	}
	at, ok := s.Workspaces[name]
	switch {
	case name == "":
		return nil, problem.New(problem.Missing, "", "Which workspace? Say -to with a name that %s has, or -address.", settingsFile)
	case !ok:
		return nil, problem.New(problem.NotFound, "", "%s has no workspace “%s”.", settingsFile, name)
	}
	return &Workspace{Address: at.Address, Key: key, Names: at.Names}, nil
}

// state is what was last the same here and in each workspace, by the workspaces' addresses.
type state map[string]map[string]json.RawMessage

func readState(dir string) (state, error) {
	out := state{}
	body, err := os.ReadFile(filepath.Join(dir, stateFile))
	if errors.Is(err, fs.ErrNotExist) {
		return out, nil
	}
	if err == nil {
		err = json.Unmarshal(body, &out)
	}
	return out, err
}

// of are the documents that were the same here and in a workspace.
func (s state) of(address string) Documents {
	out := Documents{}
	for name, body := range s[address] {
		kind, of := filepath.Split(name)
		k := Key{filepath.Clean(kind), of}
		tidied, err := tidy(k, body)
		if err != nil {
			continue // of another version of the program: as if it had never been the same
		}
		out[k] = tidied
	}
	return out
}

// keep keeps what is the same now.
func (s state) keep(dir, address string, same Documents) error {
	kept := map[string]json.RawMessage{}
	for k, body := range same {
		kept[k.String()] = body
	}
	s[address] = kept
	body, err := json.Marshal(s)
	if err != nil {
		return err
	}
	return whole(filepath.Join(dir, stateFile), body)
}
