package workspace

import (
	"context"
	"strings"

	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// A Team is people who see what is kept for them together.
type Team = store.Team

// longestTeam is how many letters the name of a team has at most.
const longestTeam = 60

// Teams lists all teams with their members.
func (w *Workspace) Teams(ctx context.Context, who *identity.Caller) ([]Team, error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	return w.store.Teams(ctx)
}

// KeepTeam names a team and says who is in it; a new one where id is 0.
func (w *Workspace) KeepTeam(ctx context.Context, who *identity.Caller, id int64, name string, members []int64) error {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return err
	}
	switch name = strings.Join(strings.Fields(name), " "); {
	case name == "":
		return problem.New(problem.Missing, "team", "Write the team's name.")
	case len([]rune(name)) > longestTeam:
		return problem.New(problem.Invalid, "team", "The name of a team has at most %d letters.", longestTeam)
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		if err := tx.KeepTeam(ctx, &store.Team{ID: id, Name: name}, members); err != nil {
			return err
		}
		return tx.Audit(ctx, "said who is in the team", name)
	})
}

// RemoveTeam forgets a team for which nothing is kept.
func (w *Workspace) RemoveTeam(ctx context.Context, who *identity.Caller, id int64) error {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return err
	}
	return w.store.Change(ctx, who.Name, func(tx *store.Tx) error {
		name, err := tx.RemoveTeam(ctx, id)
		if err != nil {
			return err
		}
		return tx.Audit(ctx, "removed the team", name)
	})
}
