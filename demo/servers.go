package demo

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"hash/fnv"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

// Server is a private database server that this process started or found
// running from an earlier start.
type Server struct {
	Kind     string // "postgresql" or "mariadb"
	Port     int
	Dir      string // its data, sockets and log
	Password string // of the user rovik_admin
	LogFile  string // what the server writes
	pid      int
	started  bool
	waited   chan struct{}
	launch   func(context.Context) error // starts it on its port
}

// Options say how servers are run.
type Options struct {
	// Dir is the folder for data; one server kind lies in each folder below.
	Dir string
	// LogStatements makes the servers log every statement that arrives.
	LogStatements bool
	// Say is told what is being done.
	Say func(format string, args ...any)
}

// Installed tells which server programs are there: PostgreSQL's folder of
// programs, and the path of mariadbd. Each is empty where missing.
func Installed() (postgresBin, mariadbd string) {
	dirs, _ := filepath.Glob("/usr/lib/postgresql/*/bin")
	sort.Slice(dirs, func(i, j int) bool { return major(dirs[i]) > major(dirs[j]) })
	for _, d := range dirs {
		if executable(filepath.Join(d, "postgres")) && executable(filepath.Join(d, "initdb")) {
			postgresBin = d
			break
		}
	}
	for _, p := range []string{"/usr/sbin/mariadbd", "/usr/bin/mariadbd", "/usr/libexec/mariadbd"} {
		if executable(p) {
			mariadbd = p
			break
		}
	}
	return postgresBin, mariadbd
}

func major(dir string) int {
	n, _ := strconv.Atoi(filepath.Base(filepath.Dir(dir)))
	return n
}

func executable(path string) bool {
	info, err := os.Stat(path)
	return err == nil && info.Mode()&0o111 != 0
}

// account is who the servers run as: an unprivileged user where the process is
// root, since neither server starts as root.
func account() (*syscall.Credential, error) {
	if os.Getuid() != 0 {
		return nil, nil
	}
	for _, name := range []string{"postgres", "mysql", "nobody"} {
		u, err := user.Lookup(name)
		if err != nil {
			continue
		}
		uid, _ := strconv.Atoi(u.Uid)
		gid, _ := strconv.Atoi(u.Gid)
		return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid), NoSetGroups: false}, nil
	}
	return nil, errors.New("no unprivileged user to run the database servers as; create one, or run as one")
}

// dataDir returns a folder below want that the account can enter, or a private
// one elsewhere where want cannot be entered, and makes it.
func dataDir(want string, cred *syscall.Credential) (string, error) {
	abs, err := filepath.Abs(want)
	if err != nil {
		return "", err
	}
	if err := os.MkdirAll(abs, 0o755); err != nil {
		return "", err
	}
	if cred == nil || canEnter(abs, cred) {
		return abs, nil
	}
	h := fnv.New32a()
	_, _ = h.Write([]byte(abs))
	dir := filepath.Join("/var/tmp", fmt.Sprintf("rovik-demo-%d-%08x", os.Getuid(), h.Sum32()))
	if err := os.Mkdir(dir, 0o711); err != nil && !errors.Is(err, os.ErrExist) {
		return "", err
	}
	info, err := os.Lstat(dir)
	if err != nil {
		return "", err
	}
	if st, ok := info.Sys().(*syscall.Stat_t); !ok || !info.IsDir() || int(st.Uid) != os.Getuid() {
		return "", fmt.Errorf("%s is there but belongs to someone else; remove it", dir)
	}
	return dir, nil
}

func canEnter(dir string, cred *syscall.Credential) bool {
	cmd := exec.Command("/bin/sh", "-c", `cd "$1"`, "sh", dir)
	cmd.Dir = "/"
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: cred}
	return cmd.Run() == nil
}

// FreePort returns a loopback port that is free, from preferred upwards, and
// keeps others who ask here from taking it while this process lives: a server
// needs some time until it listens.
func FreePort(preferred int) (int, error) {
	for port := preferred; port < preferred+200; port++ {
		l, err := net.Listen("tcp", net.JoinHostPort("127.0.0.1", strconv.Itoa(port)))
		if err != nil {
			continue
		}
		if err := l.Close(); err != nil {
			return 0, err
		}
		if reserve(port) {
			return port, nil
		}
	}
	return 0, fmt.Errorf("no free port from %d to %d", preferred, preferred+199)
}

// reserved holds the locks of this process's ports.
var reserved struct {
	sync.Mutex
	files map[int]*os.File
}

// reserve locks a file named after a port. Where there can be no such file, the
// port is taken as it is.
func reserve(port int) bool {
	reserved.Lock()
	defer reserved.Unlock()
	if reserved.files[port] != nil {
		return true // its server has ended
	}
	name := filepath.Join(os.TempDir(), fmt.Sprintf("rovik-port-%d-%d", os.Getuid(), port))
	f, err := os.OpenFile(name, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return true
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return false
	}
	if reserved.files == nil {
		reserved.files = map[int]*os.File{}
	}
	reserved.files[port] = f
	return true
}

// launcher starts one kind of server.
type launcher struct {
	kind      string
	port      int // preferred
	opts      Options
	cred      *syscall.Credential
	dir       string
	server    *Server
	init      func(l *launcher) error // makes the data folder
	command   func(l *launcher) *exec.Cmd
	answers   func(ctx context.Context, s *Server) error
	firstTime bool
}

func (l *launcher) path(parts ...string) string {
	return filepath.Join(append([]string{l.dir}, parts...)...)
}

// run runs a helper program as the account.
func (l *launcher) run(name string, args ...string) error {
	cmd := exec.Command(name, args...)
	cmd.Dir = l.dir
	var out bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &out
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: l.cred}
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("%s: %w: %s", filepath.Base(name), err, strings.TrimSpace(out.String()))
	}
	return nil
}

// start brings the server up, or adopts the one that an earlier process left.
func (l *launcher) start(ctx context.Context) (*Server, error) {
	base, err := dataDir(l.opts.Dir, l.cred)
	if err != nil {
		return nil, err
	}
	l.dir = filepath.Join(base, l.kind)
	if err := os.MkdirAll(l.dir, 0o700); err != nil {
		return nil, err
	}
	if l.cred != nil {
		if err := os.Chown(l.dir, int(l.cred.Uid), int(l.cred.Gid)); err != nil {
			return nil, err
		}
	}
	s := &Server{Kind: l.kind, Dir: l.dir, LogFile: l.path("server.log")}
	l.server = s
	if s.Password, err = keptSecret(l.path("admin.secret"), l.cred); err != nil {
		return nil, err
	}
	if l.adopt(ctx) {
		return s, nil
	}
	if _, err := os.Stat(l.path("ready")); err != nil {
		// Half a data folder, from a start that was cut off, is made anew.
		if err := os.RemoveAll(l.path("data")); err != nil {
			return nil, err
		}
		l.opts.Say("making a private %s in %s", l.kind, l.dir)
		if err := l.init(l); err != nil {
			return nil, fmt.Errorf("making a private %s: %w", l.kind, err)
		}
		l.firstTime = true
	}
	if s.Port, err = FreePort(l.port); err != nil {
		return nil, err
	}
	l.stopLeftover()
	s.launch = l.launch
	if err := l.launch(ctx); err != nil {
		return nil, err
	}
	return s, os.WriteFile(l.path("ready"), nil, 0o600)
}

// adopt takes over a server that still runs on this data folder, and stops one
// that runs but does not answer.
func (l *launcher) adopt(ctx context.Context) bool {
	b, err := os.ReadFile(l.path("running"))
	if err != nil {
		return false
	}
	var owner int
	if n, _ := fmt.Sscan(string(b), &l.server.pid, &l.server.Port, &owner); n < 3 || !l.isOurs(l.server.pid) {
		return false
	}
	wait, cancel := context.WithTimeout(ctx, 3*time.Second)
	defer cancel()
	if l.answers(wait, l.server) == nil {
		// Whoever started it may have been killed; then it is ours to stop.
		if l.server.started = !alive(owner); l.server.started {
			_ = l.noteRunning()
		}
		return true
	}
	l.server.started = true
	l.server.Stop()
	return false
}

// stopLeftover ends a server on this data folder that nothing tells of but its
// own pid file: two on one folder would be one too many.
func (l *launcher) stopLeftover() {
	for _, file := range []string{l.path("data", "postmaster.pid"), l.path("db.pid")} {
		var pid int
		b, err := os.ReadFile(file)
		if err != nil {
			continue
		}
		if _, err := fmt.Sscan(string(b), &pid); err == nil && l.isOurs(pid) {
			left := *l.server
			left.pid, left.started = pid, true
			left.Stop()
		}
	}
}

// noteRunning keeps the server's process, port and owner for later starts.
func (l *launcher) noteRunning() error {
	return os.WriteFile(l.path("running"), fmt.Appendf(nil, "%d %d %d\n", l.server.pid, l.server.Port, os.Getpid()), 0o600)
}

// alive reports whether a process runs; one that has died and that nobody has
// taken note of does not.
func alive(pid int) bool {
	cmdline, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	return err == nil && len(cmdline) > 0
}

// isOurs reports whether a process is a server on this data folder.
func (l *launcher) isOurs(pid int) bool {
	cmdline, err := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
	return err == nil && bytes.Contains(cmdline, []byte(l.path("data")))
}

func (l *launcher) launch(ctx context.Context) error {
	s := l.server
	log, err := os.OpenFile(s.LogFile, os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	if err != nil {
		return err
	}
	defer log.Close()
	cmd := l.command(l)
	cmd.Dir = l.dir
	cmd.Stdout, cmd.Stderr = log, log
	// A group of its own, so that Ctrl-C reaches Rovik first.
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: l.cred, Setpgid: true}
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("starting %s: %w", l.kind, err)
	}
	s.pid, s.started, s.waited = cmd.Process.Pid, true, make(chan struct{})
	go func() {
		_ = cmd.Wait()
		close(s.waited)
	}()
	if err := l.noteRunning(); err != nil {
		return err
	}
	deadline := time.After(60 * time.Second)
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for {
		err := l.answers(ctx, s)
		if err == nil {
			return nil
		}
		select {
		case <-tick.C:
		case <-s.waited:
			return fmt.Errorf("%s ended while starting; its log is %s", l.kind, s.LogFile)
		case <-deadline:
			return fmt.Errorf("%s does not answer: %w; its log is %s", l.kind, err, s.LogFile)
		case <-ctx.Done():
			s.Stop()
			return ctx.Err()
		}
	}
}

// Stop ends a server that this process started, by its process id.
func (s *Server) Stop() {
	if s == nil || !s.started {
		return
	}
	// PostgreSQL ends sessions on SIGINT; MariaDB shuts down on SIGTERM.
	signal := syscall.SIGTERM
	if s.Kind == "postgresql" {
		signal = syscall.SIGINT
	}
	if err := syscall.Kill(s.pid, signal); err == nil {
		s.awaitEnd(20 * time.Second)
	}
	_ = os.Remove(filepath.Join(s.Dir, "running"))
}

// Restart ends a server that this process started, and starts it again on its port.
func (s *Server) Restart(ctx context.Context) error {
	if s.launch == nil {
		return fmt.Errorf("%s was not started by this process", s.Kind)
	}
	s.Stop()
	return s.launch(ctx)
}

func (s *Server) awaitEnd(limit time.Duration) {
	deadline := time.After(limit)
	if s.waited != nil {
		select {
		case <-s.waited:
		case <-deadline:
			_ = syscall.Kill(s.pid, syscall.SIGKILL)
		}
		return
	}
	tick := time.NewTicker(50 * time.Millisecond)
	defer tick.Stop()
	for alive(s.pid) {
		select {
		case <-tick.C:
		case <-deadline:
			_ = syscall.Kill(s.pid, syscall.SIGKILL)
			return
		}
	}
}

// keptSecret reads the password in a file, or makes one.
func keptSecret(path string, cred *syscall.Credential) (string, error) {
	if b, err := os.ReadFile(path); err == nil && len(b) > 0 {
		return string(b), nil
	}
	raw := make([]byte, 18)
	if _, err := rand.Read(raw); err != nil {
		return "", err
	}
	secret := hex.EncodeToString(raw)
	if err := os.WriteFile(path, []byte(secret), 0o600); err != nil {
		return "", err
	}
	if cred != nil {
		return secret, os.Chown(path, int(cred.Uid), int(cred.Gid))
	}
	return secret, nil
}
