package people

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// A teamRow is a team, with everybody who may be in it.
type teamRow struct {
	workspace.Team
	Ticks []page.Tick
}

func (s *Server) teams(c *gin.Context) { s.teamsPage(c, http.StatusOK, nil) }

// teamsPage lists the teams; what was written of one is shown as it was where something is wrong with it.
func (s *Server) teamsPage(c *gin.Context, status int, p *problem.Problem) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	people, err := s.Workspace.People(ctx, who)
	if err != nil {
		s.Fail(c, err)
		return
	}
	teams, err := s.Workspace.Teams(ctx, who)
	if err != nil {
		s.Fail(c, err)
		return
	}
	var rows []teamRow
	for _, t := range append(teams, workspace.Team{}) { // last one that is yet to be made
		row, written := teamRow{Team: t}, p != nil && c.PostForm("id") == idOf(t)
		chosen := page.Chosen(c, "members")
		for _, m := range people {
			in := slices.ContainsFunc(t.Members, func(other workspace.Person) bool { return other.ID == m.ID })
			if written {
				in = slices.Contains(chosen, fmt.Sprint(m.ID))
			}
			if in || !m.Ended() {
				row.Ticks = append(row.Ticks, page.Tick{Value: fmt.Sprint(m.ID), Words: m.Name, On: in})
			}
		}
		if written {
			row.Name = c.PostForm("name")
		}
		rows = append(rows, row)
	}
	s.Page(c, status, "teams", "Teams", gin.H{"Teams": rows, "Problem": p, "Of": c.PostForm("id")})
}

// idOf is a team as its form names it, "" for one that is yet to be made.
func idOf(t workspace.Team) string {
	if t.ID == 0 {
		return ""
	}
	return fmt.Sprint(t.ID)
}

// saveTeam names a team and says who is in it.
func (s *Server) saveTeam(c *gin.Context) {
	var members []int64
	for _, m := range page.Chosen(c, "members") {
		id, _ := strconv.ParseInt(m, 10, 64)
		members = append(members, id)
	}
	s.teamDone(c, s.Workspace.KeepTeam(c.Request.Context(), gate.Caller(c), teamID(c), c.PostForm("name"), members))
}

// removeTeam forgets a team.
func (s *Server) removeTeam(c *gin.Context) {
	s.teamDone(c, s.Workspace.RemoveTeam(c.Request.Context(), gate.Caller(c), teamID(c)))
}

func teamID(c *gin.Context) int64 {
	id, _ := strconv.ParseInt(c.PostForm("id"), 10, 64)
	return id
}

func (s *Server) teamDone(c *gin.Context, err error) {
	s.Done(c, err, "/people/teams", func(status int, p *problem.Problem) { s.teamsPage(c, status, p) })
}
