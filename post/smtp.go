package post

import (
	"context"
	"fmt"
	"net"
	"strconv"
	"time"

	"github.com/wneessen/go-mail"
)

// Server is a mail server that takes mail for others, by SMTP.
type Server struct {
	Host     string `json:"host"`
	Port     int    `json:"port"`
	User     string `json:"user,omitempty"`
	Password string `json:"password,omitempty"`
	Lock     string `json:"lock"` // starttls, tls or none
	From     string `json:"from"` // "Name <address>"
}

// Locks are how a connection to a mail server is locked.
var Locks = []string{"starttls", "tls", "none"}

// How long a mail server may take: for a message, and for each step of it.
const (
	longestDelivery = 30 * time.Second
	longestStep     = 20 * time.Second
)

// Deliver hands a whole message to the server as it stands. It waits half a
// minute at most.
func (s *Server) Deliver(ctx context.Context, to string, raw []byte) error {
	ctx, cancel := context.WithTimeout(ctx, longestDelivery)
	defer cancel()
	options := []mail.Option{mail.WithPort(s.Port), mail.WithTimeout(longestStep)}
	switch s.Lock {
	case "tls":
		options = append(options, mail.WithSSL())
	case "none":
		options = append(options, mail.WithTLSPolicy(mail.NoTLS))
	default:
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory))
	}
	if s.User != "" {
		options = append(options, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(s.User), mail.WithPassword(s.Password))
	}
	client, err := mail.NewClient(s.Host, options...)
	if err != nil {
		return fmt.Errorf("the mail server: %w", err)
	}
	m, err := mail.EMLToMsgFromString(string(raw))
	if err != nil {
		return fmt.Errorf("reading the message: %w", err)
	}
	err = client.DialWithContext(ctx)
	if err == nil {
		err = client.Send(m)
		_ = client.Close() // what was taken was taken: a server that ends rudely must not get it twice
	}
	if err != nil {
		return fmt.Errorf("handing it to %s: %w", net.JoinHostPort(s.Host, strconv.Itoa(s.Port)), err)
	}
	return nil
}
