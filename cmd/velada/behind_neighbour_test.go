package main

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"golang.org/x/net/websocket"

	"velada/app/doors"
	"velada/core/access"
	"velada/demo"
	"velada/demo/demotest"
	"velada/house"
)

// behindIt serves the demo house as velada does, with the society's site on a server elsewhere,
// and returns the address of that site; whoever asks it is led to it whatever its host.
func behindIt(t *testing.T, e doors.Elsewhere) (site string, client *http.Client) {
	t.Helper()
	ctx, stop := context.WithCancel(t.Context())
	h, err := house.Open(ctx, demotest.Open(t), func() time.Time { return demo.Start })
	if err != nil {
		t.Fatal(err)
	}
	o := &serving{base: "localhost", listen: "127.0.0.1:0"}
	in, err := o.open()
	if err != nil {
		t.Fatal(err)
	}
	hosts := newHosts(ctx, o, h, port(in.main), "")
	if err := in.answer(o, hosts); err != nil {
		t.Fatal(err)
	}
	in.serve(nil)
	t.Cleanup(func() {
		stop()
		_ = in.end() // what still goes on is given up
		in.close()
		h.Wait()
	})
	if err := doors.SetUpstream(ctx, h, h.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"}), "society", e); err != nil {
		t.Fatal(err)
	}
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	dial := func(ctx context.Context, network, _ string) (net.Conn, error) {
		var d net.Dialer
		return d.DialContext(ctx, network, in.main.Addr().String())
	}
	return fmt.Sprintf("http://society.localhost:%d", port(in.main)), &http.Client{Jar: jar, Transport: &http.Transport{DialContext: dial}}
}

// notebook is Jupyter's notebook server as Debian ships it, with a password.
func notebook(t *testing.T, base string) string {
	t.Helper()
	at := demotest.FreePort(t)
	folder := t.TempDir()
	hash, err := exec.Command("/usr/bin/python3", "-c", "from notebook.auth import passwd; print(passwd('walnut', 'sha256'))").Output()
	if err != nil {
		t.Fatal(err)
	}
	c := exec.Command("jupyter-notebook", "--no-browser", "--allow-root", "--ip=127.0.0.1", "--port="+at, "--NotebookApp.password="+strings.TrimSpace(string(hash)),
		"--NotebookApp.allow_remote_access=True", "--NotebookApp.base_url="+base, "--notebook-dir="+folder)
	c.Env = append(os.Environ(), "PATH=/usr/bin:/bin", "HOME="+folder, "JUPYTER_DATA_DIR="+folder+"/.data", "IPYTHONDIR="+folder+"/.ipython")
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = c.Process.Kill(); _ = c.Wait() })
	for range 300 {
		if r, err := http.Get("http://127.0.0.1:" + at + base + "login"); err == nil {
			r.Body.Close()
			return "http://127.0.0.1:" + at
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Fatal("it does not answer")
	return ""
}

var xsrf = regexp.MustCompile(`name="_xsrf" value="([^"]+)"`)

// A web application that others wrote works behind Velada: its sign-in, forms, redirects,
// cookies, files and websockets, see make neighbours.
func TestAWebApplicationBehindVelada(t *testing.T) {
	if os.Getenv("NEIGHBOURS") == "" {
		t.Skip("make neighbours runs this")
	}
	for name, c := range map[string]struct {
		base string
		e    doors.Elsewhere
	}{
		"under the visitor's host": {"/", doors.Elsewhere{}}, "below a path, under its own host, paths as sent": {"/books/", doors.Elsewhere{Host: true, AsSent: true}},
	} {
		t.Run(name, func(t *testing.T) {
			c.e.Upstream = notebook(t, c.base) + strings.TrimSuffix(c.base, "/")
			usesNotebook(t, c.e)
		})
	}
}

func usesNotebook(t *testing.T, e doors.Elsewhere) {
	site, client := behindIt(t, e)
	ask := func(method, path, kind string, body []byte) (*http.Response, []byte) {
		t.Helper()
		r, err := http.NewRequestWithContext(t.Context(), method, site+path, bytes.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		if body != nil {
			r.Header.Set("Content-Type", kind)
		}
		u, _ := url.Parse(site)
		for _, c := range client.Jar.Cookies(u) {
			if c.Name == "_xsrf" {
				r.Header.Set("X-XSRFToken", c.Value)
			}
		}
		answer, err := client.Do(r)
		if err != nil {
			t.Fatalf("%s %s: %v", method, path, err)
		}
		defer answer.Body.Close()
		text, err := io.ReadAll(answer.Body)
		if err != nil {
			t.Fatal(err)
		}
		if strings.Contains(string(text), strings.TrimPrefix(e.Upstream, "http://")) {
			t.Errorf("%s %s tells where it is", method, path)
		}
		return answer, text
	}
	// it leads to its form, which lets in by its password alone, and leads on
	r, page := ask("GET", "/", "", nil)
	token := xsrf.FindSubmatch(page)
	if r.Request.URL.Path != "/login" && r.Request.URL.Path != "/books/login" || token == nil {
		t.Fatalf("led to %s: %.300s", r.Request.URL, page)
	}
	form := func(password string) (*http.Response, []byte) {
		return ask("POST", "/login?next=%2Ftree", "application/x-www-form-urlencoded", []byte(url.Values{"_xsrf": {string(token[1])}, "password": {password}}.Encode()))
	}
	if r, _ := form("guessed"); r.StatusCode != http.StatusUnauthorized {
		t.Errorf("a wrong password: %d", r.StatusCode)
	}
	if r, page := form("walnut"); !strings.HasSuffix(r.Request.URL.Path, "/tree") || r.StatusCode != 200 {
		t.Fatalf("the right password leads to %s: %d %.300s", r.Request.URL, r.StatusCode, page)
	}
	// a file goes up and comes down as it is, whole and in parts
	large := bytes.Repeat([]byte("0123456789abcdef"), 1<<16)
	content, _ := json.Marshal(map[string]string{"type": "file", "format": "text", "content": string(large)})
	if r, text := ask("PUT", "/api/contents/with%20a%20blank.txt", "application/json", content); r.StatusCode != http.StatusCreated {
		t.Fatalf("sending a file: %d %.300s", r.StatusCode, text)
	}
	if r, text := ask("GET", "/files/with%20a%20blank.txt", "", nil); r.StatusCode != 200 || !bytes.Equal(text, large) {
		t.Errorf("the file comes as %d bytes: %d", len(text), r.StatusCode)
	}
	// a kernel works over its websocket
	r, text := ask("POST", "/api/kernels", "application/json", []byte(`{"name":"python3"}`))
	var kernel struct{ ID string }
	if err := json.Unmarshal(text, &kernel); err != nil || kernel.ID == "" {
		t.Fatalf("%d %.300s", r.StatusCode, text)
	}
	config, err := websocket.NewConfig(strings.Replace(site, "http", "ws", 1)+"/api/kernels/"+kernel.ID+"/channels?session_id=s", site)
	if err != nil {
		t.Fatal(err)
	}
	u, _ := url.Parse(site)
	var cookies []string
	for _, c := range client.Jar.Cookies(u) {
		cookies = append(cookies, c.Name+"="+c.Value)
	}
	config.Header.Set("Cookie", strings.Join(cookies, "; "))
	conn, err := net.Dial("tcp", "127.0.0.1:"+u.Port())
	if err != nil {
		t.Fatal(err)
	}
	ws, err := websocket.NewClient(config, conn)
	if err != nil {
		t.Fatalf("the websocket: %v", err)
	}
	defer ws.Close()
	_ = ws.SetDeadline(time.Now().Add(30 * time.Second))
	if err := websocket.Message.Send(ws, `{"header":{"msg_id":"1","username":"","session":"s","msg_type":"execute_request","version":"5.2"},"parent_header":{},"metadata":{},"channel":"shell","content":{"code":"print(6*7)","silent":false}}`); err != nil {
		t.Fatal(err)
	}
	for {
		var said string
		if err := websocket.Message.Receive(ws, &said); err != nil {
			t.Fatalf("the kernel says nothing: %v", err)
		}
		if strings.Contains(said, `"text": "42\n"`) || strings.Contains(said, `"text":"42\n"`) {
			break
		}
	}
	// signing out there signs out there
	if r, _ := ask("GET", "/logout", "", nil); r.StatusCode != 200 {
		t.Errorf("signing out: %d", r.StatusCode)
	}
	if r, _ := ask("GET", "/api/contents", "", nil); r.StatusCode != http.StatusForbidden {
		t.Errorf("signed out: %d", r.StatusCode)
	}
}

// slowly hands on what is read at no more than 900 kB a second, by way of a server that is slow itself.
type slowly struct {
	io.Reader
	began time.Time
	sent  int64
}

const slowLine = 900_000 // bytes a second

func (s *slowly) Read(p []byte) (int, error) {
	if s.began.IsZero() {
		s.began = time.Now()
	}
	n, err := s.Reader.Read(p[:min(len(p), 90_000)])
	s.sent += int64(n)
	time.Sleep(time.Until(s.began.Add(time.Duration(s.sent) * time.Second / slowLine)))
	return n, err
}

// Half a gigabyte goes up and comes down over a line of 900 kB a second: nine minutes, see make slow-line.
func TestLargeBodiesOverASlowLine(t *testing.T) {
	if os.Getenv("SLOW_LINE") == "" {
		t.Skip("make slow-line runs this")
	}
	const size = 500_000_000
	all := func() io.Reader { return io.LimitReader(&endless{}, size) }
	sum := sha256.New()
	_, _ = io.Copy(sum, all())
	want := fmt.Sprintf("%d %x", size, sum.Sum(nil))
	up := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodPut {
			sum := sha256.New()
			n, err := io.Copy(sum, r.Body)
			fmt.Fprintf(w, "%d %x", n, sum.Sum(nil))
			if err != nil {
				slog.Error("upload", "error", err)
			}
			return
		}
		_, _ = io.Copy(w, all())
	}))
	defer up.Close()
	site, client := behindIt(t, doors.Elsewhere{Upstream: up.URL})
	var both sync.WaitGroup
	both.Go(func() {
		r, err := http.NewRequestWithContext(t.Context(), http.MethodPut, site+"/upload", &slowly{Reader: all()})
		if err != nil {
			t.Error(err)
			return
		}
		answer, err := client.Do(r)
		if err != nil {
			t.Errorf("up: %v", err)
			return
		}
		defer answer.Body.Close()
		if text, err := io.ReadAll(answer.Body); err != nil || string(text) != want {
			t.Errorf("up: %d %.100s %v", answer.StatusCode, text, err)
		}
	})
	both.Go(func() {
		answer, err := client.Get(site + "/download")
		if err != nil {
			t.Errorf("down: %v", err)
			return
		}
		defer answer.Body.Close()
		sum := sha256.New()
		if n, err := io.Copy(sum, &slowly{Reader: answer.Body}); err != nil || fmt.Sprintf("%d %x", n, sum.Sum(nil)) != want {
			t.Errorf("down: %d bytes, %v", n, err)
		}
	})
	both.Wait()
}

// endless is bytes that do not end.
type endless struct{ at int }

func (e *endless) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = byte((e.at + i) >> 8)
	}
	e.at += len(p)
	return len(p), nil
}
