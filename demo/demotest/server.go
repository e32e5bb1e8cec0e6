package demotest

import (
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"
)

// FreePort returns a port at which nothing listens.
func FreePort(t testing.TB) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	_, port, _ := net.SplitHostPort(l.Addr().String())
	return port
}

// Documented is the configuration of a server, nginx or caddy, in a file of the documentation.
func Documented(t testing.TB, file, server string) string {
	t.Helper()
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	block := regexp.MustCompile("(?s)```" + server + "\n(.*?)\n *```").FindSubmatch(text)
	if block == nil {
		t.Fatalf("no configuration of %s in %s", server, file)
	}
	return string(block[1])
}

// StartServer runs nginx or caddy with a configuration until the test ends, once it answers at a
// port.
func StartServer(t testing.TB, server, config, port string) {
	t.Helper()
	folder := t.TempDir()
	file := filepath.Join(folder, server+".conf")
	command := exec.Command("caddy", "run", "--adapter", "caddyfile", "--config", file)
	if server == "nginx" {
		config = "pid " + folder + "/pid; error_log stderr; daemon off; user root; events {} http { access_log off; client_body_temp_path " + folder + "/b; proxy_temp_path " + folder +
			"/p; fastcgi_temp_path " + folder + "/f; uwsgi_temp_path " + folder + "/u; scgi_temp_path " + folder + "/s;\n" + config + "}"
		command = exec.Command("nginx", "-c", file)
	} else {
		config = "{\n admin off\n auto_https off\n}\n" + config
	}
	if err := os.WriteFile(file, []byte(config), 0o600); err != nil {
		t.Fatal(err)
	}
	command.Env = append(os.Environ(), "HOME="+folder)
	var said strings.Builder
	command.Stderr = &said
	if err := command.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = command.Process.Signal(os.Interrupt)
		_ = command.Wait()
		if t.Failed() {
			t.Log(said.String())
		}
	})
	for range 100 {
		if conn, err := net.Dial("tcp", "127.0.0.1:"+port); err == nil {
			conn.Close()
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	t.Fatalf("%s did not start: %s", server, said.String())
}
