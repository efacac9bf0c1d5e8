package gate

import (
	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/rights"
)

// A Route is an address with the line of the table of rights that it needs.
type Route struct {
	Method, Path string
	Right        rights.What
	Handle       gin.HandlerFunc
	Plain        bool // its answer is sent as it is
	Packed       bool // its answer is packed already
	Streamed     bool // its body is read as it comes
	Pictures     bool // a page that shows pictures of the host apps
}

// NothingHere is said of an address that there is not.
var NothingHere = problem.New(problem.NotFound, "", "There is nothing at this address.")
