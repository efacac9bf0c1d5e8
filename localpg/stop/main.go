// Stop stops the clusters that are named, if they run, and with -remove takes them away.
package main

import (
	"flag"
	"fmt"
	"os"

	"eskadel/localpg"
)

func main() {
	remove := flag.Bool("remove", false, "take their folders away")
	flag.Parse()
	root, _ := os.Getwd()
	for _, name := range flag.Args() {
		end := localpg.StopIn
		if *remove {
			end = localpg.Forget
		}
		if err := end(localpg.Folder(root, name)); err != nil {
			fmt.Println(err)
		}
	}
}
