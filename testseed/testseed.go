// Package testseed makes the random tests of a test program repeatable: imported for its
// effect, it fixes the seed that definitions, records and expressions are drawn with, so
// that what passed once passes again. ESKADEL_RANDOM=1 draws anew each time, and
// ESKADEL_CHECKS says how often, which is how longer runs look for what nobody has thought of.
package testseed

import (
	"flag"
	"os"

	_ "pgregory.net/rapid" // has registered its flags by the time that init runs
)

func init() {
	fixed := map[string]string{"rapid.shrinktime": "10s"}
	if os.Getenv("ESKADEL_RANDOM") == "" {
		fixed["rapid.seed"] = "20261123"
	}
	if checks := os.Getenv("ESKADEL_CHECKS"); checks != "" {
		fixed["rapid.checks"] = checks
	}
	for name, value := range fixed {
		if err := flag.Set(name, value); err != nil {
			panic(err) // only if the flag were gone
		}
	}
}
