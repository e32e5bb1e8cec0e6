package main

import (
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"time"
)

// nginx serves the page as a file, with nothing decided and behind auth_request
// to a server that says yes at once.
func nginx(folder string, page []byte) (plain, asking string, stop func()) {
	binary, err := exec.LookPath("nginx")
	if err != nil {
		fmt.Fprintln(os.Stderr, "nginx is not installed: its lines are left out")
		return "", "", nil
	}
	yes := listen(unchanged, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {}))
	root := filepath.Join(folder, "nginx")
	check(os.MkdirAll(root, 0o755))
	check(os.Chmod(folder, 0o755))
	check(os.WriteFile(filepath.Join(root, "index.html"), page, 0o644))
	free := func() string {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		check(err)
		defer l.Close()
		return l.Addr().String()
	}
	plain, asking = free(), free()
	conf := fmt.Sprintf(`daemon off; worker_processes auto; pid %[1]s/pid; error_log %[1]s/error.log;
events { worker_connections 1024; }
http { access_log off; keepalive_requests 1000000; sendfile on; default_type text/html; root %[1]s;
 client_body_temp_path %[1]s/b; proxy_temp_path %[1]s/p; fastcgi_temp_path %[1]s/f; uwsgi_temp_path %[1]s/u; scgi_temp_path %[1]s/s;
 upstream yes { server %[4]s; keepalive 64; keepalive_requests 1000000; }
 server { listen %[2]s; }
 server { listen %[3]s; location / { auth_request /asked; } location = /asked { internal; proxy_pass http://yes; proxy_http_version 1.1; proxy_set_header Connection ""; proxy_pass_request_body off; proxy_set_header Content-Length ""; } }
}`, root, plain, asking, yes)
	file := filepath.Join(root, "nginx.conf")
	check(os.WriteFile(file, []byte(conf), 0o644))
	c := exec.Command(binary, "-p", root, "-c", file)
	c.Stderr = os.Stderr
	check(c.Start())
	for range 100 {
		if conn, err := net.Dial("tcp", asking); err == nil {
			conn.Close()
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	return plain, asking, func() { _ = c.Process.Kill(); _ = c.Wait() }
}
