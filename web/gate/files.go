package gate

import (
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/files"
)

// HowRead reads what the query says of how a file is read.
func HowRead(c *gin.Context) (how files.How, err error) {
	how.Sheets, how.Uneven = c.QueryArray("sheet"), c.Query("uneven")
	whole := func(place, s string) (n int64) {
		if n, err2 := strconv.ParseInt(s, 10, 64); err2 == nil {
			return n
		}
		if err = problem.New(problem.Invalid, place, "“%s” is not the number of a row.", s); s == "" {
			err = nil
		}
		return 0
	}
	how.Heading = whole("heading", c.Query("heading"))
	for _, n := range c.QueryArray("skip") {
		how.Skip = append(how.Skip, whole("skip", n))
	}
	if err == nil {
		err = how.Check()
	}
	return how, err
}
