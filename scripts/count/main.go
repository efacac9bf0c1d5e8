// Count reads the output of go test -json, prints what failed, and on its last line the
// numbers of tests that passed and failed.
package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"os"
)

type event struct {
	Action, Package, Test, Output string
}

func main() {
	f, err := os.Open(os.Args[1])
	if err != nil {
		fmt.Println(err)
		fmt.Println("0 1")
		os.Exit(1)
	}
	defer f.Close()
	output := map[string]string{}
	passed, failed := 0, 0
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, 1<<24)
	for lines.Scan() {
		var e event
		if json.Unmarshal(lines.Bytes(), &e) != nil {
			continue
		}
		name := e.Package + " " + e.Test
		switch {
		case e.Action == "output":
			output[name] += e.Output
		case e.Action == "build-output":
			fmt.Print(e.Output)
		case e.Action == "pass" && e.Test != "":
			passed++
		case e.Action == "fail":
			if e.Test != "" {
				failed++
			}
			fmt.Printf("FAILED: %s\n%s", name, output[name])
		case e.Action == "pass":
			fmt.Print("ok ", e.Package, "\n")
		}
	}
	fmt.Println(passed, failed)
}
