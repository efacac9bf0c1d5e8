package web

import (
	"context"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/identity"
	"eskadel/live"
	"eskadel/source"
	"eskadel/store"
)

func (s *Server) data(c *gin.Context) {
	s.dataPage(c, http.StatusOK, gin.H{})
}

func (s *Server) dataPage(c *gin.Context, status int, more gin.H) {
	ctx := c.Request.Context()
	sources, err := s.store.Sources(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	sets, err := s.store.Datasets(ctx)
	if err != nil {
		s.fail(c, err)
		return
	}
	type row struct {
		Name, Title, Source, Records, Description string
		Trouble                                   string
	}
	var rows []row
	for _, kept := range sets {
		d, err := dataset.Read(kept.Document)
		if err != nil {
			s.fail(c, err)
			return
		}
		if s.mayUse(ctx, caller(c), d) != nil {
			continue
		}
		r := row{Name: d.Name, Title: d.Title, Source: d.Source, Records: d.Record[1], Description: d.Description}
		if ds, err := s.engine.Dataset(ctx, d.Name, caller(c).Viewer); err != nil {
			r.Trouble = "cannot be read just now"
		} else if rule.Publishable(ds) != nil {
			r.Trouble = "nobody has said yet who may see it"
		}
		rows = append(rows, r)
	}
	var mine []store.Source
	for _, src := range sources {
		if mayUseSource(caller(c), &src) {
			mine = append(mine, src)
		}
	}
	more["Sources"], more["Datasets"], more["Files"], more["RoleSQL"] = mine, rows, s.files != nil, source.RoleSQL(nil)
	s.page(c, status, "data", "Data", more)
}

// mayUseSource tells whether somebody may build on a source.
func mayUseSource(who *identity.Caller, src *store.Source) bool {
	return who.Builder || len(src.Authors()) == 0 || slices.Contains(src.Authors(), who.Email)
}

// mayUse tells in words why a person may not build on a dataset; nil when they may.
func (s *Server) mayUse(ctx context.Context, who *identity.Caller, d *dataset.Document) error {
	no := problem.New(problem.NotFound, "dataset", "There is no dataset “%s”.", d.Name)
	if who.Builder {
		return nil
	}
	if len(d.SeenBy) > 0 && !slices.Contains(d.SeenBy, who.Email) {
		return no
	}
	src, err := s.store.Source(ctx, d.Source)
	if err == nil && !mayUseSource(who, src) {
		return no
	}
	return err
}

// building makes whatever the request asks of datasets stand on those alone that the caller
// may build on.
func (s *Server) building(c *gin.Context) {
	who := caller(c)
	c.Request = c.Request.WithContext(live.Using(c.Request.Context(), func(ctx context.Context, d *dataset.Document) error {
		return s.mayUse(ctx, who, d)
	}))
}

// usable finds a dataset that the caller may build on, as they may see it.
func (s *Server) usable(c *gin.Context, name string) (*dataset.Dataset, error) {
	s.building(c)
	return s.engine.Dataset(c.Request.Context(), name, caller(c).Viewer)
}

// addSource connects a database, or changes the address of one, tries it and keeps it
// only if it answers.
func (s *Server) addSource(c *gin.Context) {
	name, title, address := c.PostForm("name"), strings.TrimSpace(c.PostForm("title")), source.WithPassword(c.PostForm("url"), c.PostForm("password"))
	if name == "" {
		name = strings.Trim(strings.ReplaceAll(strings.ToLower(title), " ", "-"), "-")
	}
	ctx := c.Request.Context()
	err := dataset.CheckName(name)
	if err == nil && title == "" {
		err = problem.New(problem.Missing, "title", "Give the source a title.")
	}
	kept, taken := s.store.Source(ctx, name)
	if c.PostForm("change") != "" && taken == nil { // its password stays unless another is typed
		if was, err := s.store.SourceURL(kept); err == nil {
			_, password := source.Bare(was)
			address = source.WithPassword(address, password)
		}
	} else if err == nil && taken == nil {
		err = problem.New(problem.Conflict, "name", "There is a source called “%s” already.", name)
	}
	var found *source.Diagnosis
	if err == nil {
		found, err = s.diagnose(ctx, address)
	}
	if p := problem.Of(err); p != nil || err == nil && c.PostForm("try") != "" {
		bare, _ := source.Bare(address)
		more := gin.H{"Problem": p, "Name": c.PostForm("name"), "SourceTitle": title, "Address": bare}
		status := http.StatusUnprocessableEntity
		if p == nil {
			more["Found"], status = found.Words(), http.StatusOK
		}
		if c.PostForm("change") != "" {
			s.sourcePage(c, status, name, more)
			return
		}
		s.dataPage(c, status, more)
		return
	}
	if err == nil {
		err = s.keepSource(c, name, title, address)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/sources/"+name)
}

// diagnose tries an address, and refuses the database that Eskadel itself is kept in.
func (s *Server) diagnose(ctx context.Context, address string) (*source.Diagnosis, error) {
	found, err := source.Diagnose(ctx, address)
	if err != nil {
		return nil, err
	}
	own, err := s.store.Ask(ctx, source.IdentityQuery)
	if err == nil && own == found.Identity {
		err = problem.New(problem.Forbidden, "url", "This is Eskadel's own database: the address of the application's is wanted.")
	}
	return found, err
}

// keepSource keeps a database that has answered, and opens it.
func (s *Server) keepSource(c *gin.Context, name, title, address string) error {
	ctx := c.Request.Context()
	if err := s.store.SaveSource(ctx, name, title, address, "postgresql"); err != nil {
		return err
	}
	if err := s.store.Audit(ctx, caller(c).Name, "connected a source", name); err != nil {
		return err
	}
	src, err := s.store.Source(ctx, name)
	if err != nil {
		return err
	}
	return s.engine.Open(src)
}

func (s *Server) removeSource(c *gin.Context) {
	name := c.Param("source")
	err := s.store.RemoveSource(c.Request.Context(), name)
	if p := problem.Of(err); p != nil && p.Code == problem.Conflict {
		s.sourcePage(c, 409, name, gin.H{"Problem": p})
		return
	}
	if err == nil {
		s.engine.Close(name)
		err = s.store.Audit(c.Request.Context(), caller(c).Name, "removed the source", name)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data")
}

// sourceAuthors keeps who may build on a source.
func (s *Server) sourceAuthors(c *gin.Context) {
	emails := chosen(c, "authors")
	err := s.store.SaveAuthors(c.Request.Context(), c.Param("source"), emails)
	if err == nil {
		err = s.store.Audit(c.Request.Context(), caller(c).Name, "changed who may use the source", c.Param("source"))
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/data/sources/"+c.Param("source"))
}
