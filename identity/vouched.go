package identity

import (
	"context"
	"time"

	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/store"
)

// VouchedFor is how long letters go to a viewer for whom their host app has not vouched again.
const VouchedFor = 45 * 24 * time.Hour

// ByHost returns a viewer of a host app as their last pass had them, and where letters reach them.
func ByHost(ctx context.Context, s *store.Store, app, subject string) (c *Caller, email string, err error) {
	v, err := s.HostViewer(ctx, app, subject)
	if err != nil {
		return nil, "", err
	}
	ended, err := s.ViewerEnded(ctx, app, subject)
	if err != nil {
		return nil, "", err
	}
	switch _, _, err := s.HostKey(ctx, v.HostKey); {
	case ended:
		return nil, "", problem.New(problem.NotFound, "", "%s is let in no more.", v.Name)
	case problem.Is(err, problem.NotFound):
		return nil, "", problem.New(problem.NotFound, "", "The key that vouched for %s has been ended.", v.Name)
	case err != nil:
		return nil, "", err
	case time.Since(v.SeenAt) > VouchedFor:
		return nil, "", problem.New(problem.NotFound, "", "%s has not come for %d days: their application no longer vouches for them.", v.Name, VouchedFor/(24*time.Hour))
	}
	c = &Caller{HostApp: app, Dashboards: v.DashboardList()}
	c.Viewer = rule.Viewer{ID: app + "/" + subject, Name: v.Name, Roles: v.RoleList(), Attributes: filter.Attributes(v.AttributeMap())}
	return c, v.Email, nil
}
