package post

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	netmail "net/mail"
	"net/textproto"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/wneessen/go-mail/smtp"
)

// Server is a mail server that takes mail for others, by SMTP.
type Server struct {
	Host     string `json:"host"`
	Port     int    `json:"port"`
	User     string `json:"user,omitempty"`
	Password string `json:"password,omitempty"`
	Lock     string `json:"lock"`           // starttls, tls or none
	From     string `json:"from"`           // "Name <address>"
	Pace     int    `json:"pace,omitempty"` // letters a minute at most; 0 is UsualPace
}

// Locks are how a connection to a mail server is locked.
var Locks = []string{"starttls", "tls", "none"}

// How many letters a minute a mail server is handed.
const (
	UsualPace = 120
	MostPace  = 6000
)

// Patience is how long a mail server may take for each step of a delivery.
const Patience = 45 * time.Second

// Between is how long to wait from one letter to the next.
func (s *Server) Between() time.Duration {
	pace := s.Pace
	if pace <= 0 {
		pace = UsualPace
	}
	return time.Minute / time.Duration(pace)
}

// Refused is a mail server's answer that it does not take a letter.
type Refused struct {
	Answer    string
	Permanent bool // it will not take it later either
}

func (e *Refused) Error() string { return e.Answer }

// refused makes an error of an answer a Refused, and one of the network a sentence; any other stays as it is.
func refused(err error) error {
	var answer *textproto.Error
	var name *net.DNSError
	var slow net.Error
	switch {
	case errors.As(err, &answer):
		return &Refused{said(answer.Code, answer.Msg), answer.Code >= 500}
	case errors.As(err, &name) && name.IsNotFound:
		return fmt.Errorf("no server has that name (%w)", name)
	case errors.Is(err, syscall.ECONNREFUSED):
		return fmt.Errorf("nothing answers at that port (%w)", syscall.ECONNREFUSED)
	case errors.As(err, &slow) && slow.Timeout():
		return fmt.Errorf("it does not answer in time (%w)", err)
	}
	return err
}

// said is a server's answer on one line, no longer than is read.
func said(code int, text string) string {
	words := []rune(strings.Join(strings.Fields(strings.ToValidUTF8(text, "�")), " "))
	return strings.TrimSpace(fmt.Sprintf("%d %s", code, string(words[:min(len(words), 300)])))
}

// Connection is an open connection to a mail server: letters go over it one after another.
type Connection struct {
	client   *smtp.Client
	conn     net.Conn
	from     string
	patience time.Duration
	broken   bool
}

// Connect opens a connection to the server and signs in. Its errors are about the
// server, not about a letter. patience is for each step of a delivery.
func (s *Server) Connect(ctx context.Context, patience time.Duration) (*Connection, error) {
	from, err := netmail.ParseAddress(s.From)
	if err != nil {
		return nil, fmt.Errorf("the sender “%s” is no address", s.From)
	}
	k := &Connection{from: from.Address, patience: patience}
	at := net.JoinHostPort(s.Host, strconv.Itoa(s.Port))
	fail := func(err error) (*Connection, error) {
		if k.conn != nil {
			k.conn.Close()
		}
		return nil, fmt.Errorf("%s: %w", at, refused(err))
	}
	config := &tls.Config{ServerName: s.Host, MinVersion: tls.VersionTLS12}
	dialer := net.Dialer{Timeout: k.patience}
	if k.conn, err = dialer.DialContext(ctx, "tcp", at); err != nil {
		return fail(err)
	}
	defer k.within(ctx)()
	if s.Lock == "tls" {
		secured := tls.Client(k.conn, config)
		if err := secured.HandshakeContext(ctx); err != nil {
			return fail(err)
		}
		k.conn = secured
	}
	if k.client, err = smtp.NewClient(k.conn, s.Host); err != nil {
		return fail(err)
	}
	name := "localhost"
	if _, domain, found := strings.Cut(from.Address, "@"); found {
		name = domain
	}
	if err := k.client.Hello(name); err != nil {
		return fail(err)
	}
	if s.Lock == "starttls" {
		if there, _ := k.client.Extension("STARTTLS"); !there {
			return fail(errors.New("it offers no STARTTLS, and mail must not go out unlocked"))
		}
		if err := k.client.StartTLS(config); err != nil {
			return fail(err)
		}
	}
	if s.User != "" {
		if err := k.client.Auth(s.auth(k.client)); err != nil {
			return fail(err)
		}
	}
	return k, nil
}

// auth is the strongest way to sign in that a server offers.
func (s *Server) auth(c *smtp.Client) smtp.Auth {
	_, offered := c.Extension("AUTH")
	ways := strings.Fields(strings.ToUpper(offered))
	has := func(way string) bool {
		for _, w := range ways {
			if w == way {
				return true
			}
		}
		return false
	}
	open := s.Lock == "none" // a steward chose so, for a server on this machine
	switch {
	case has("SCRAM-SHA-256"):
		return smtp.ScramSHA256Auth(s.User, s.Password)
	case has("PLAIN"):
		return smtp.PlainAuth("", s.User, s.Password, s.Host, open)
	case has("LOGIN"):
		return smtp.LoginAuth(s.User, s.Password, s.Host, open)
	case has("SCRAM-SHA-1"):
		return smtp.ScramSHA1Auth(s.User, s.Password)
	case has("CRAM-MD5"):
		return smtp.CRAMMD5Auth(s.User, s.Password)
	}
	return smtp.PlainAuth("", s.User, s.Password, s.Host, open)
}

// within bounds a step by patience and by ctx; what it returns ends that.
func (k *Connection) within(ctx context.Context) func() {
	_ = k.conn.SetDeadline(time.Now().Add(k.patience))
	stop := context.AfterFunc(ctx, func() { _ = k.conn.SetDeadline(time.Unix(1, 0)) })
	return func() { stop() }
}

// Send hands over a whole message, RFC 5322, byte for byte, and returns the server's
// answer. It returns a *Refused where the server does not take it, and any other error where
// the connection broke: whether it was taken is not known then.
func (k *Connection) Send(ctx context.Context, to string, raw []byte) (answer string, err error) {
	step := func(f func() error) {
		if err == nil {
			defer k.within(ctx)()
			err = f()
		}
	}
	step(func() error { return k.client.Mail("<" + k.from + ">") })
	step(func() error { return k.client.Rcpt("<" + to + ">") })
	step(func() error {
		data, err := k.client.Data()
		if err != nil {
			return err
		}
		if _, err := data.Write(raw); err != nil {
			return err
		}
		if err := data.Close(); err != nil {
			return err
		}
		if closer, ok := data.(*smtp.DataCloser); ok {
			answer = said(250, closer.ServerResponse())
		}
		return nil
	})
	if err == nil {
		return answer, nil
	}
	err = refused(err)
	var no *Refused
	if !errors.As(err, &no) || strings.HasPrefix(no.Answer, "421") {
		k.broken = true
		return "", err
	}
	defer k.within(ctx)()
	if k.client.Reset() != nil {
		k.broken = true
	}
	return "", err
}

// Broken reports whether no letter goes over the connection any more.
func (k *Connection) Broken() bool { return k.broken }

// Close ends the connection: politely, where the server still answers.
func (k *Connection) Close() {
	if !k.broken {
		_ = k.conn.SetDeadline(time.Now().Add(min(k.patience, 5*time.Second)))
		_ = k.client.Quit() // what was taken was taken
	}
	k.conn.Close()
}
