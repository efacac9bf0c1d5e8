// Package testseed makes the random tests of a test program repeatable: imported for its
// effect, it fixes the seed that definitions, records and expressions are drawn with, so
// that what passed once passes again. ESKADEL_RANDOM=1 draws anew each time, which is how
// longer runs look for what nobody has thought of.
package testseed

import (
	"flag"
	"os"

	_ "pgregory.net/rapid" // has registered its flags by the time that init runs
)

func init() {
	if os.Getenv("ESKADEL_RANDOM") == "" {
		if err := flag.Set("rapid.seed", "20261123"); err != nil {
			panic(err) // only if the flag were gone
		}
	}
}
