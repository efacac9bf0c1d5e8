package workspace

import (
	"context"

	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/live"
	"eskadel/rights"
)

// Settings are those of the workspace with their standing; those that hold without any where
// none have been kept. Ones that cannot be read are told of as such.
func (w *Workspace) Settings(ctx context.Context, who *identity.Caller) (*period.Workspace, Standing, error) {
	if err := rights.Ever(who, rights.Make); err != nil {
		return nil, Standing{}, err
	}
	usual := &period.Workspace{Version: period.WorkspaceVersion, Zone: w.Calendar().Zone.String()}
	kept, err := w.store.Document(ctx, Settings, live.Workspace)
	if problem.Is(err, problem.NotFound) {
		return usual, Standing{Kind: Settings, Name: live.Workspace, May: rights.Ever(who, rights.Build) == nil}, nil
	}
	if err != nil {
		return nil, Standing{}, err
	}
	s, err := period.ReadWorkspace(kept.Draft)
	if err != nil {
		s = usual
	}
	return s, standing(who, kept), err
}

// SaveSettings keeps settings that can be used; they hold at once.
func (w *Workspace) SaveSettings(ctx context.Context, who *identity.Caller, document []byte, on On) (Standing, error) {
	return w.keep(ctx, who, making{kind: Settings, name: live.Workspace, on: on, mine: document, holds: true, what: rights.Build, done: "changed the calendar",
		read: func(b []byte) ([]byte, string, error) {
			s, err := period.ReadWorkspace(b)
			if err != nil {
				return nil, "", err
			}
			return s.JSON(), "Workspace", nil
		}})
}

// TheSettings is the name of the workspace's settings.
const TheSettings = live.Workspace
