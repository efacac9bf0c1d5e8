package main

import (
	"context"
	"errors"
	"fmt"
	"os"

	"eskadel/workspace"
)

// checkProof works a figure out again that a proof tells of.
func checkProof(ctx context.Context, args []string) error {
	flags, file := flagsOf("check proof")
	if err := flags.Parse(args); err != nil {
		return err
	}
	if flags.NArg() != 1 {
		return errors.New("name the file: eskadel check proof FILE")
	}
	b, err := os.ReadFile(flags.Arg(0))
	if err != nil {
		return err
	}
	c, s, err := opened(ctx, *file)
	if err != nil {
		return err
	}
	defer s.Close()
	engine, err := engineOf(ctx, s, c)
	if err != nil {
		return err
	}
	w, err := workspace.Open(ctx, s, engine, workspace.Around{})
	if err != nil {
		return err
	}
	was, changes, err := w.CheckProof(ctx, workspace.Operator(), b)
	if err != nil {
		return err
	}
	fmt.Printf("%s: %s, made of %d records, read at %s for %s\n", was.Measure, was.Figure, was.Records, was.Read.Format("15:04:05 on 2 Jan 2006"), was.Viewer.Name)
	for _, change := range changes {
		fmt.Println(change)
	}
	if len(changes) > 0 {
		return errors.New("it is not the same any more")
	}
	fmt.Println("It is the same.")
	return nil
}
