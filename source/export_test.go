package source

import "time"

// LookAgainEvery has sources look at their tables more often than they otherwise do.
func LookAgainEvery(d time.Duration) (back func()) {
	before := lookAgain
	lookAgain = d
	return func() { lookAgain = before }
}
