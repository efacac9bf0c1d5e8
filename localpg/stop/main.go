// Stop stops the clusters whose folders are named, if they run.
package main

import (
	"fmt"
	"os"
	"path/filepath"

	"eskadel/localpg"
)

func main() {
	root, _ := os.Getwd()
	for _, name := range os.Args[1:] {
		dir := localpg.Folder(root, filepath.Base(name))
		if err := localpg.StopIn(dir); err != nil {
			fmt.Println(err)
		}
	}
}
