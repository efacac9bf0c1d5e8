package reading

import (
	"encoding/json"
	"net/http"

	"github.com/gin-gonic/gin"

	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/view"
	"eskadel/web/page"
	"eskadel/workspace"
)

// twoOf are the two marks that a request compares.
func twoOf(c *gin.Context) (two view.Two, err error) {
	for name, to := range map[string]*marks.Reference{"now": &two.Now, "before": &two.Before} {
		if e := problem.Decode([]byte(c.PostForm(name)), to); e != nil {
			err = problem.At(name, e)
		}
	}
	two.NowWords, two.BeforeWords = short(c.PostForm("now_words")), short(c.PostForm("before_words"))
	return two, err
}

// short keeps what marks call themselves to a length that a heading has room for.
func short(words string) string {
	if r := []rune(words); len(r) > 120 {
		return string(r[:119]) + "…"
	}
	return words
}

// why takes the difference between two marks apart.
func (s *Server) why(c *gin.Context) {
	two, err := twoOf(c)
	var l *workspace.Look
	if err == nil {
		l, err = s.look(c)
	}
	var y *view.Why
	if err == nil {
		y, err = l.Why(c.Param("widget"), two)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "why", gin.H{"Why": y, "Records": l.MayRecords(), "Address": "/view/" + c.Param("dashboard") + "/widgets/" + c.Param("widget") + "/why/records"})
}

// whyRecords lists the records of one side of a difference.
func (s *Server) whyRecords(c *gin.Context) {
	two, err := twoOf(c)
	of := workspace.WhySide{Before: c.PostForm("side") == "before", Field: c.PostForm("field"), Only: c.PostForm("only") != ""}
	if key := c.PostForm("key"); key != "" && err == nil {
		of.Key = &marks.Key{}
		err = problem.At("key", problem.Decode([]byte(key), of.Key))
	}
	var paging workspace.Paging
	if err == nil {
		_, paging, err = page.MarkOf(c)
	}
	var l *workspace.Look
	if err == nil {
		l, err = s.look(c)
	}
	var p *view.Page
	if err == nil {
		p, err = l.WhyRecords(c.Param("widget"), two, of, paging)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Drawer(c, p, c.Request.URL.Path, "")
}

// oneSide is what a button carries that lists the records of one side.
func oneSide(side, field string, key *marks.Key, only bool) string {
	out := map[string]string{"side": side, "field": field}
	if key != nil {
		b, _ := json.Marshal(key)
		out["key"] = string(b)
	}
	if only {
		out["only"] = "yes"
	}
	b, _ := json.Marshal(out)
	return string(b)
}
