package testkit

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
)

// Cluster is a PostgreSQL cluster of a test's own, to be stopped and started
// under a running service.
type Cluster struct {
	Database string // address of its first database
	dir      string
	port     string
}

// NewCluster makes and starts a cluster that keeps what it has answered.
func NewCluster(t testing.TB) *Cluster {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	port := fmt.Sprint(l.Addr().(*net.TCPAddr).Port)
	l.Close()
	c := &Cluster{dir: filepath.Join(Root(), "var", "test", "cluster-"+port), port: port}
	t.Cleanup(func() {
		c.script(t, "stop")
		c.script(t, "remove")
	})
	c.Start(t)
	return c
}

// Start starts it on the same port as before.
func (c *Cluster) Start(t testing.TB) { c.Database = c.script(t, "start") }

// Stop stops it as when its machine goes down in good order.
func (c *Cluster) Stop(t testing.TB) { c.script(t, "stop") }

func (c *Cluster) script(t testing.TB, action string) string {
	t.Helper()
	out, err := exec.Command(filepath.Join(Root(), "scripts", "cluster.sh"), action, c.dir, c.port).CombinedOutput()
	if err != nil {
		t.Fatalf("cluster.sh %s: %v\n%s", action, err, out)
	}
	return strings.TrimSpace(string(out))
}

// Kill ends it at once, as when its machine loses power, and starts it again.
func (c *Cluster) Kill(t testing.TB) {
	t.Helper()
	text, err := os.ReadFile(filepath.Join(c.dir, "data", "postmaster.pid"))
	if err != nil {
		t.Fatal(err)
	}
	pid, err := strconv.Atoi(strings.SplitN(string(text), "\n", 2)[0])
	if err != nil {
		t.Fatal(err)
	}
	_ = syscall.Kill(pid, syscall.SIGQUIT) // its children end with it
	Until(t, "the cluster to be gone", func() bool { return syscall.Kill(pid, 0) != nil })
	c.Start(t)
}
