package localpg

import (
	"errors"
	"fmt"
	"hash/fnv"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
)

// marker is the file by which a folder is known as one that was made here.
const marker = "made-by-eskadel"

// Place is where a program that works in root keeps what it makes: below root, or, where
// root is somebody else's, in a folder of whoever runs it.
func Place(root string) string {
	if info, err := os.Stat(root); err == nil && int(info.Sys().(*syscall.Stat_t).Uid) == os.Geteuid() {
		return filepath.Join(root, ".eskadel")
	}
	return elsewhere(root)
}

// elsewhere is a folder for root that does not lie in it.
func elsewhere(root string) string {
	h := fnv.New64a()
	_, _ = h.Write([]byte(root))
	return filepath.Join("/var/tmp", fmt.Sprintf("eskadel-%d", os.Geteuid()), fmt.Sprintf("%x", h.Sum64()))
}

// Folder is where a cluster called name keeps its files for a program that works in root:
// in its place, or, when the server's user could not reach that, elsewhere.
func Folder(root, name string) string {
	place := Place(root)
	if os.Geteuid() != 0 {
		return filepath.Join(place, name)
	}
	for at := place; at != "/" && at != "."; at = filepath.Dir(at) {
		info, err := os.Stat(at)
		if errors.Is(err, os.ErrNotExist) {
			continue // what is made will be open
		}
		if err != nil || info.Mode().Perm()&0o001 == 0 {
			return filepath.Join(elsewhere(root), name)
		}
	}
	return filepath.Join(place, name)
}

// Reach makes a folder that others may reach, whatever the umask.
func Reach(dir string) error {
	var made []string
	for at := dir; ; at = filepath.Dir(at) {
		info, err := os.Lstat(at)
		if err == nil {
			if filepath.Dir(at) == "/var/tmp" && (!info.IsDir() || int(info.Sys().(*syscall.Stat_t).Uid) != os.Geteuid()) {
				return fmt.Errorf("%s is somebody else's: it cannot be used", at)
			}
			break
		}
		made = append(made, at)
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	for _, at := range made {
		if err := os.Chmod(at, 0o755); err != nil {
			return err
		}
	}
	return nil
}

// own makes a folder and marks it. A folder that holds something else is left alone.
func own(dir string) error {
	if err := Reach(dir); err != nil || ours(dir) {
		return err
	}
	list, err := os.ReadDir(dir)
	if err != nil {
		return err
	}
	for _, f := range list {
		if !slices.Contains([]string{"data", "log", "key"}, f.Name()) && !strings.HasPrefix(f.Name(), ".s.PGSQL") {
			return fmt.Errorf("the folder %s holds something else (%s): choose an empty one", dir, f.Name())
		}
	}
	return os.WriteFile(filepath.Join(dir, marker), []byte("Eskadel made this folder, and removes it when told to.\n"), 0o644)
}

// ours tells whether a folder was made here: it lies in the project's place, or is marked.
func ours(dir string) bool {
	_, err := os.Stat(filepath.Join(dir, marker))
	return err == nil || filepath.Base(filepath.Dir(dir)) == ".eskadel"
}

// Take keeps a folder for this process until release, so that no other works on it, or
// says that one does. It is free again when the process ends, however it ends.
func Take(dir string) (release func(), err error) {
	if err := Reach(filepath.Dir(dir)); err != nil {
		return nil, err
	}
	lock, err := os.OpenFile(dir+".lock", os.O_CREATE|os.O_RDWR, 0o644)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		lock.Close()
		return nil, fmt.Errorf("another demonstration runs on %s: stop it first, or choose another folder with -dir", dir)
	}
	return func() { _ = lock.Close() }, nil
}

// Forget stops the cluster in a folder and removes it: only a folder that was made here.
func Forget(dir string) error {
	if _, err := os.Stat(dir); errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if !ours(dir) {
		return fmt.Errorf("%s was not made by Eskadel, so it is not removed: empty it by hand, or choose another folder with -dir", dir)
	}
	if err := StopIn(dir); err != nil {
		return err
	}
	return os.RemoveAll(dir)
}
