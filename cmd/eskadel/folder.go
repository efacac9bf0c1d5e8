package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"strings"

	"eskadel/folder"
)

// line says a line of what is done.
func line(format string, args ...any) { fmt.Printf(format+"\n", args...) }

// carrier reads the flags and the folder of a command that speaks with a workspace.
func carrier(flags *flag.FlagSet, args []string) (*folder.Carrier, error) {
	to := flags.String("to", "", "which workspace, by the name that eskadel.json in the folder has for it; the only one when left out")
	address := flags.String("address", "", "address of the workspace, instead: https://boards.example.org")
	c := &folder.Carrier{Say: line}
	flags.BoolVar(&c.DryRun, "dry-run", false, "only say what would be done")
	if flags.Name() != "diff" {
		flags.BoolVar(&c.Over, "over", false, "overwrite what differs where it is carried to")
	}
	if flags.Name() == "push" {
		flags.BoolVar(&c.Publish, "publish", false, "show readers what is pushed")
		flags.BoolVar(&c.Remove, "remove", false, "remove what is no longer in the folder")
	}
	if err := flags.Parse(args); err != nil {
		return nil, err
	}
	if flags.NArg() != 1 {
		return nil, fmt.Errorf("write: eskadel %s [flags] FOLDER", flags.Name())
	}
	c.Dir = flags.Arg(0)
	s, err := folder.ReadSettings(c.Dir)
	if err == nil {
		c.Workspace, err = s.Workspace(*to, *address, os.Getenv("ESKADEL_API_KEY"))
	}
	return c, err
}

func pull(ctx context.Context, args []string) error {
	c, err := carrier(flag.NewFlagSet("pull", flag.ExitOnError), args)
	if err != nil {
		return err
	}
	return c.Pull(ctx)
}

func push(ctx context.Context, args []string) error {
	c, err := carrier(flag.NewFlagSet("push", flag.ExitOnError), args)
	if err != nil {
		return err
	}
	return c.Push(ctx)
}

// diff compares a folder with a workspace, or with another folder.
func diff(ctx context.Context, args []string) error {
	n, err := 0, error(nil)
	if len(args) == 2 && !strings.HasPrefix(args[0], "-") {
		n, err = folder.DiffFolders(args[0], args[1], line)
	} else {
		var c *folder.Carrier
		if c, err = carrier(flag.NewFlagSet("diff", flag.ExitOnError), args); err == nil {
			n, err = c.Diff(ctx)
		}
	}
	switch {
	case err != nil:
		return err
	case n == 0:
		line("no difference")
		return nil
	}
	return errors.New(folder.Number(n, "differs", "differ"))
}

// checkDocuments tells what of the documents in a folder does not fit.
func checkDocuments(ctx context.Context, args []string) error {
	flags := flag.NewFlagSet("check documents", flag.ExitOnError)
	var sources several
	flags.Var(&sources, "source", "NAME=ADDRESS of a source's database, which is only read; may be given several times")
	if err := flags.Parse(args); err != nil {
		return err
	}
	if flags.NArg() != 1 {
		return errors.New("write: eskadel check documents [-source NAME=ADDRESS] FOLDER")
	}
	addresses := map[string]string{}
	for _, s := range sources {
		name, address, ok := strings.Cut(s, "=")
		if !ok {
			return fmt.Errorf("“%s” is no source: write NAME=ADDRESS", name)
		}
		addresses[name] = address
	}
	n, faults, err := folder.Check(ctx, flags.Arg(0), addresses)
	if err != nil {
		return err
	}
	for _, f := range faults {
		line("%s", f)
	}
	if len(faults) > 0 {
		return errors.New("this folder is not in order")
	}
	if len(addresses) == 0 {
		line("no -source was given: whether fields and columns are there was not looked at")
	}
	line("%d documents, all in order", n)
	return nil
}
