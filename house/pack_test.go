package house

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"strings"
	"testing"
)

func TestMessagesArePacked(t *testing.T) {
	if sum := sha256.Sum256(dictionary); hex.EncodeToString(sum[:]) != "849ac5ab1310e92d529a69f3b65df2de51a69972edde5b3de18c53aa89e72258" {
		t.Fatal("the dictionary is another: what was packed with it could not be read any more")
	}
	raw := []byte(strings.Repeat("Subject: Friday\r\n\r\nCome to the hill.\r\n", 50))
	kept := pack(raw)
	if got, err := unpack(kept); err != nil || !bytes.Equal(got, raw) || len(kept) > len(raw)/5 {
		t.Errorf("%d bytes of %d, %v", len(kept), len(raw), err)
	}
	if got, err := unpack(string(raw)); err != nil || !bytes.Equal(got, raw) {
		t.Error("what was kept before is not read", err)
	}
	if got, err := unpack(pack(nil)); err != nil || len(got) != 0 {
		t.Error(got, err)
	}
	if _, err := unpack(kept[:len(kept)-3]); err == nil {
		t.Error("half a message is read")
	}
	long := pack(make([]byte, 4096))
	if _, err := unpackUpTo(long, 4095); err == nil {
		t.Error("a message that is too long is read")
	}
	if got, err := unpackUpTo(long, 4096); err != nil || len(got) != 4096 {
		t.Error(len(got), err)
	}
}
