// Package cluster drives three instances of the service on three nodes of a database cluster, all on loopback, and
// looks what is left of what was acknowledged: make cluster-test runs it.
package cluster

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/mariadb"
	"loyallatch.example/latch/internal/testkit"
)

var ctx = context.Background()

const nodes = 3 // at most

// cluster is two or three nodes with an instance of the service each.
type cluster struct {
	t        *testing.T
	count    int
	folder   string
	bin      string // folder of the programs
	password string
	disk     bool          // the second node has a small disk of its own
	ports    [nodes][4]int // of the database, the group, state transfers small and whole
	servers  [nodes]*mariadb.Server
	services [nodes]*exec.Cmd
	listens  [nodes]string
}

func ports(t *testing.T, count int) (list []int) {
	for range count {
		listener, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		defer func() { _ = listener.Close() }()
		list = append(list, listener.Addr().(*net.TCPAddr).Port)
	}
	return list
}

func (c *cluster) node(i int) string { return filepath.Join(c.folder, fmt.Sprint("n", i+1)) }

// data is the folder of a node's server. Its path is too long for a socket, which the server then puts elsewhere: the
// daemon that copies a whole state enters here as nobody.
func (c *cluster) data(i int) string { return filepath.Join(c.node(i), strings.Repeat("node-", 20)) }

// dsn is the address of the schema at a node.
func (c *cluster) dsn(i int) string {
	return fmt.Sprintf("root:%s@tcp(127.0.0.1:%d)/latch", c.password, c.ports[i][0])
}

// open lets that daemon write, where the server is root.
func (c *cluster) open(i int) {
	if os.Geteuid() != 0 {
		return
	}
	for _, folder := range []string{c.folder, c.node(i), c.data(i)} {
		require.NoError(c.t, os.Chmod(folder, 0o711))
	}
	out, err := exec.Command("chown", "-R", "nobody", filepath.Join(c.data(i), "data")).CombinedOutput()
	require.NoError(c.t, err, string(out))
}

// start starts a node, which joins the others; the first of all begins the cluster. The clock of the third is 3 s
// ahead.
func (c *cluster) start(i int, first bool) {
	p := c.ports[i]
	group := "gcomm://"
	if !first {
		var all []string
		for _, of := range c.ports[:c.count] {
			all = append(all, fmt.Sprint("127.0.0.1:", of[1]))
		}
		group += strings.Join(all, ",")
	}
	extra := mariadb.Extra{Password: c.password, Options: []string{"--wsrep-on=1",
		"--wsrep-provider=/usr/lib/galera/libgalera_smm.so", "--wsrep-cluster-name=latch",
		"--wsrep-cluster-address=" + group, fmt.Sprint("--wsrep-node-name=n", i+1), "--binlog-format=ROW",
		"--innodb-autoinc-lock-mode=2", "--wsrep-sst-method=rsync", "--wsrep-node-address=127.0.0.1",
		fmt.Sprint("--wsrep-sst-receive-address=127.0.0.1:", p[3]),
		fmt.Sprintf("--wsrep-provider-options=gmcast.listen_addr=tcp://127.0.0.1:%d;base_port=%d;"+
			"ist.recv_addr=127.0.0.1:%d;pc.recovery=FALSE", p[1], p[1], p[2])}}
	if first {
		extra.Options = append(extra.Options, "--wsrep-new-cluster")
	}
	if library, _ := filepath.Glob("/usr/lib/*/faketime/libfaketime.so.1"); i == 2 && len(library) > 0 {
		extra.Environment = []string{"LD_PRELOAD=" + library[0], "FAKETIME=+3s", "DONT_FAKE_MONOTONIC=1"}
	}
	var err error
	if _, none := os.Stat(c.data(i)); none != nil {
		alone, err := mariadb.StartWith(ctx, c.data(i), p[0], mariadb.Extra{Password: c.password})
		require.NoError(c.t, err)
		require.NoError(c.t, alone.Stop())
	}
	c.open(i)
	c.servers[i], err = mariadb.StartWith(ctx, c.data(i), p[0], extra)
	if err != nil {
		log, _ := os.ReadFile(filepath.Join(c.data(i), "mariadb.log"))
		lines := strings.Split(string(log), "\n")
		c.t.Log(strings.Join(lines[max(0, len(lines)-30):], "\n"))
	}
	require.NoError(c.t, err, "node %d", i+1)
}

func (c *cluster) serve(bin string, i int) {
	c.services[i] = exec.Command(filepath.Join(bin, "loyald"), "serve", "--keys", filepath.Join(c.folder, "keys"),
		"--listen", c.listens[i], "--log", "text", "--log-file", filepath.Join(c.folder, fmt.Sprint("s", i+1, ".log")))
	c.services[i].Env = append(os.Environ(), "LOYAL_DSN="+c.dsn(i))
	require.NoError(c.t, c.services[i].Start())
}

func (c *cluster) ready(i int) bool {
	asking := http.Client{Timeout: 2 * time.Second}
	response, err := asking.Get("http://" + c.listens[i] + "/readyz")
	if err != nil {
		return false
	}
	_ = response.Body.Close()
	return response.StatusCode == http.StatusOK
}

func (c *cluster) await(i int, ready bool, why string) {
	begun := time.Now()
	require.Eventually(c.t, func() bool { return c.ready(i) == ready }, 90*time.Second, 50*time.Millisecond,
		"instance %d: %s", i+1, why)
	fmt.Printf("  %-70s after %.1f s\n", fmt.Sprintf("instance %d: %s", i+1, why), time.Since(begun).Seconds())
}

// drive is managers who enrol people at instances and lock and unlock some, and what they were told.
type drive struct {
	mu       sync.Mutex
	made     map[string]bool // family names that were acknowledged
	unknown  map[string]bool
	statuses map[int]int
	locks    []time.Duration
	unlocked atomic.Int64 // answers "allow" of another instance after a lock was acknowledged
}

func (d *drive) told(name string, err error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	var refused *api.Problem
	switch {
	case err == nil:
		d.statuses[200]++
		if name != "" {
			d.made[name] = true
		}
	case errors.As(err, &refused):
		if d.statuses[refused.Status]++; refused.Status >= 500 && name != "" {
			d.unknown[name] = true
		}
	default:
		if d.statuses[0]++; name != "" {
			d.unknown[name] = true
		}
	}
}

// for a while, writers at each instance that is named enrol people; a manager locks and unlocks somebody and asks the
// other instances' doors.
func (c *cluster) drive(d *drive, managers [nodes]*client.Client, at []int, writers int, during func()) {
	stop := make(chan bool)
	running := func() bool {
		select {
		case <-stop:
			return false
		default:
			return true
		}
	}
	var all sync.WaitGroup
	for _, i := range at {
		for range writers {
			all.Go(func() {
				for running() {
					name := "C" + rand.Text()[:12]
					d.told(name, managers[i].Do(ctx, "POST", "/staff", map[string]any{"given_name": "Clu",
						"family_name": name, "home_site": "HB"}, nil))
				}
			})
		}
	}
	all.Go(func() {
		for turn := 0; running(); turn++ {
			i := at[turn%len(at)]
			begun := time.Now()
			err := managers[i].Do(ctx, "POST", "/staff/Q0011/lock", map[string]any{"reason": "cluster"}, nil)
			took := time.Since(begun)
			d.told("", err)
			if err == nil {
				d.mu.Lock()
				d.locks = append(d.locks, took)
				d.mu.Unlock()
				for _, other := range at {
					door := client.New("http://"+c.listens[other], "lld_demo-hb-controller-token")
					var told api.Decision
					if door.Do(ctx, "POST", "/decisions", map[string]any{"pin": "480216", "place": "HB-PACK-1"},
						&told) == nil && told.Outcome == "allow" {
						d.unlocked.Add(1)
					}
				}
			}
			d.told("", managers[i].Do(ctx, "POST", "/staff/Q0011/unlock", map[string]any{}, nil))
			time.Sleep(50 * time.Millisecond)
		}
	})
	during()
	close(stop)
	all.Wait()
}

// begin starts a cluster of so many nodes, loads the demo and signs a manager in at each instance.
func begin(t *testing.T, count int) (c *cluster, managers [nodes]*client.Client) {
	folder, err := os.MkdirTemp(testkit.Scratch(), "latch-cluster-")
	require.NoError(t, err)
	c = &cluster{t: t, count: count, folder: folder, bin: t.TempDir(), password: rand.Text()}
	free := ports(t, 5*nodes)
	for i := range nodes {
		c.ports[i] = [4]int(free[5*i : 5*i+4])
		c.listens[i] = fmt.Sprint("127.0.0.1:", free[5*i+4])
		require.NoError(t, os.MkdirAll(c.node(i), 0o700))
	}
	c.disk = count == nodes &&
		exec.Command("mount", "-t", "tmpfs", "-o", "size=700m", "tmpfs", c.node(1)).Run() == nil
	t.Cleanup(c.end)
	out, err := exec.Command("go", "build", "-o", c.bin, "../cmd/...").CombinedOutput()
	require.NoError(t, err, string(out))
	c.start(0, true)
	for i := 1; i < count; i++ {
		c.start(i, false)
	}
	require.NoError(t, c.servers[0].CreateSchema(ctx, "latch"))
	for i := range count {
		c.serve(c.bin, i)
	}
	testkit.WriteDemo(t, c.dsn(0), filepath.Join(c.folder, "keys"))
	for i := range count {
		c.await(i, true, "ready")
		managers[i] = client.New("http://"+c.listens[i], "")
		_, err := managers[i].SignIn(ctx, "maren@quillmere.example", testkit.Passwords["maren"], "cluster")
		require.NoError(t, err)
	}
	for staff, pin := range pins {
		set := fmt.Sprintf(`{"staff":%q,"pin":%q}`, staff, pin)
		require.NoError(t, managers[0].Do(ctx, "POST", "/changes", api.ChangeRequest{Reason: "cluster",
			Operations: []api.Operation{{Op: "pin.set", Set: []byte(set)}}}, nil))
	}
	return c, managers
}

// pins are those of the people who are locked.
var pins = map[string]string{"Q0011": "480216", "Q0013": "480315", "Q0014": "480417", "Q0015": "480519"}

// end ends what was started and takes away what it has left, unless the test has failed.
func (c *cluster) end() {
	for i := range nodes {
		if c.services[i] != nil {
			_ = c.services[i].Process.Kill()
			_ = c.services[i].Wait()
		}
		if c.servers[i] != nil {
			_ = c.servers[i].Kill()
		}
	}
	if c.disk {
		_ = exec.Command("umount", "-l", c.node(1)).Run()
	}
	if !c.t.Failed() {
		_ = os.RemoveAll(c.folder)
	}
}

// lock has managers at each instance lock and unlock people, so often in all, and asks a door of every other instance
// at once after each acknowledgement.
func (c *cluster) lock(managers [nodes]*client.Client, count int) {
	var acknowledged, asked, letIn atomic.Int64
	var all sync.WaitGroup
	for staff, pin := range pins {
		all.Go(func() {
			for turn := range count / len(pins) {
				at := turn % c.count
				if managers[at].Do(ctx, "POST", "/staff/"+staff+"/lock", map[string]any{"reason": "cluster"}, nil) == nil {
					acknowledged.Add(1)
					for other := range c.count {
						door := client.New("http://"+c.listens[other], "lld_demo-hb-controller-token")
						var told api.Decision
						err := door.Do(ctx, "POST", "/decisions", map[string]any{"pin": pin, "place": "HB-PACK-1"}, &told)
						if asked.Add(1); err == nil && told.Outcome == "allow" {
							letIn.Add(1)
						}
					}
				}
				// Under one key, so that it is one act: one of several that was kept while its answer was late could
				// follow the next lock.
				once := client.Header("Idempotency-Key", rand.Text())
				for tries := 0; tries < 20 && managers[at].Do(ctx, "POST", "/staff/"+staff+"/unlock", map[string]any{},
					nil, once) != nil; tries++ {
					time.Sleep(100 * time.Millisecond)
				}
			}
		})
	}
	all.Wait()
	fmt.Printf("  %d locks acknowledged, %d questions asked at once, %d let in\n", acknowledged.Load(), asked.Load(),
		letIn.Load())
	assert.Greater(c.t, acknowledged.Load(), int64(count*9/10))
	assert.Zero(c.t, letIn.Load(), "nobody is let in after their lock was acknowledged")
}

// Two nodes, and nothing else that happens: whoever is locked at one is refused at the other from the acknowledgement
// on.
func TestALockHoldsAtTheOtherNode(t *testing.T) {
	c, managers := begin(t, 2)
	c.lock(managers, 200)
}

func TestCluster(t *testing.T) {
	if os.Getenv("LATCH_CLUSTER") == "" {
		t.Skip("make cluster-test runs this")
	}
	fmt.Println("three nodes, an instance each, started together on an empty schema")
	c, managers := begin(t, nodes)
	bin, disk := c.bin, c.disk
	fmt.Println("locks at three nodes, calm")
	c.lock(managers, 2000)
	d := &drive{made: map[string]bool{}, unknown: map[string]bool{}, statuses: map[int]int{}}
	everywhere := []int{0, 1, 2}
	c.drive(d, managers, everywhere, 4, func() { time.Sleep(15 * time.Second) })
	d.say("four writers a node, and locks")
	slices.Sort(d.locks)
	if n := len(d.locks); n > 0 {
		fmt.Printf("  locks, in force everywhere when acknowledged: median %d ms, 99th percentile %d ms, of %d\n",
			d.locks[n/2].Milliseconds(), d.locks[n*99/100].Milliseconds(), n)
	}
	assert.Zero(t, d.statuses[500], "0 answers of 500")

	fmt.Println("node 2 is killed while all write, and comes back")
	c.drive(d, managers, everywhere, 2, func() {
		time.Sleep(2 * time.Second)
		require.NoError(t, c.servers[1].Kill())
		c.await(1, false, "not ready without its node")
		time.Sleep(3 * time.Second)
		c.start(1, false)
		c.await(1, true, "ready again")
	})
	d.say("all")

	if disk {
		fmt.Println("the disk of node 2 is full")
		filler := filepath.Join(c.node(1), "filler")
		c.drive(d, managers, everywhere, 2, func() {
			fill(t, filler)
			c.await(1, false, "not ready with a full disk")
		})
		d.say("all")
		require.NoError(t, os.Remove(filler))
		_ = c.servers[1].Kill()
		c.start(1, false)
		c.await(1, true, "ready again")
	}

	fmt.Println("nodes 2 and 3 are killed: node 1 has lost the others")
	require.NoError(t, c.servers[1].Kill())
	require.NoError(t, c.servers[2].Kill())
	c.await(0, false, "not ready without quorum")
	err := managers[0].Do(ctx, "POST", "/staff", map[string]any{"given_name": "Clu", "family_name": "No quorum",
		"home_site": "HB"}, nil)
	var refused *api.Problem
	require.ErrorAs(t, err, &refused)
	assert.Equal(t, http.StatusServiceUnavailable, refused.Status)
	db := c.raw(0)
	_, err = db.Exec("SET GLOBAL wsrep_provider_options = 'pc.bootstrap=YES'")
	require.NoError(t, err)
	require.NoError(t, db.Close())
	c.await(0, true, "ready once it is told to go on alone")
	for i := 1; i < nodes; i++ {
		c.start(i, false)
		c.await(i, true, "ready again")
	}
	c.drive(d, managers, everywhere, 2, func() { time.Sleep(3 * time.Second) })
	d.say("all")
	assert.Zero(t, d.statuses[500], "0 answers of 500")
	assert.Zero(t, d.unlocked.Load(), "nobody is let in after their lock was acknowledged")
	for i := range nodes {
		require.NoError(t, c.services[i].Process.Signal(syscall.SIGTERM))
		assert.NoError(t, c.services[i].Wait(), "instance %d ends cleanly", i+1)
		c.services[i] = nil
	}
	c.look(bin, d)
}

func (d *drive) say(what string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	fmt.Printf("  %s: answers by status %v, %d people acknowledged, %d in doubt\n", what, d.statuses, len(d.made),
		len(d.unknown))
}

func fill(t *testing.T, path string) {
	file, err := os.Create(path)
	require.NoError(t, err)
	defer func() { _ = file.Close() }()
	zeros := make([]byte, 1<<20)
	for err == nil {
		_, err = file.Write(zeros)
	}
	for err = nil; err == nil; {
		_, err = file.Write(zeros[:4096])
	}
	require.ErrorIs(t, err, syscall.ENOSPC)
}
