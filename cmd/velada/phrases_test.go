package main

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
)

// retired are phrases that the interface once used, and what it says instead. Those of one
// short word count only where they are all that a text says.
var retired = map[string]string{
	"Keep this": "Save", "Keep what it says": "Save", "Keep it": "Save", "Leave it": "Cancel",
	"Take away": "Remove", "Take off": "Remove", "Take out": "Remove", "taken away": "removed",
	"Rehearse this": "See what this does", "Rehearse it": "See what this does", "See what it does": "See what this does",
	"may be left open": "(optional)", "no end": "no end date", "What it is called": "Name or Title", "What you are called": "Your name", "Your address": "Your e-mail address",
	"Standing": "Overview", "Listing": "Settings", "What waits": "Rounds of this site", "What you are told": "Notifications",
	"Private": "Only the team", "Public": "Anyone", "Pass": "Password", "Passes and links": "Passwords and links",
	"Whom it is for": "Name (who will use it)", "would be guessed": "too easy to guess", "Revoke": "Turn off", "Let it count again": "Turn on", "End it now": "Set the end to now",
	"Give it a door of its own": "Give this page its own door", "as well as the site’s door": "Both doors must open", "instead of it": "Its own door alone decides",
	"finds nothing there": "Hide it from everyone who may not open it", "also": "both doors", "own door": "own door only", "Floor plan": "Pages, as a stranger gets them",
	"Anyone else meets": "Everyone else gets", "Does it stand": "Show this page", "What it says the site is": "Kind of holding page", "Who walks past it": "Who still gets the site", "Whom to ask": "Contact",
	"Look at it": "Preview", "Where it stands": "Page settings", "Earlier states": "Page history", "Working copy": "Draft", "Take it down": "Unpublish", "Put back": "Publish again",
	"Bring somebody in": "Add someone with an account", "Invite by address": "Invite by e-mail", "Admit": "Approve", "Refuse": "Decline",
	"set the listing": "change site settings", "admit members": "approve members", "change doors": "change who can view",
	"Somebody new": "Add a person", "A new group": "Add a group", "A roster comes in": "Import a roster", "Read it": "Preview the import", "Read it so": "Update the preview", "Take it in": "Import",
	"What hangs on it": "Where it is used", "Who keeps it": "Group managers", "What membership is like": "Membership settings", "A second step to sign in": "Two-step sign-in",
	"Who else vouches": "Sign-in providers", "Addresses that no mail reaches": "Accounts without a mailbox", "How the way there is locked": "Encryption", "They cap every site": "They apply to every site listed",
	"holds from the next request": "Applied", "for the very next request": "Applied", "I mean it": "Yes, I am sure",
	"Elsewhere": "Social links", "Tint": "Header colour", "Where there is no page": "“Page not found” text", "Let it go": "Give up this address", "Fold": "Hide columns",
	"on its way": "what became of the message", "on the way to": "what became of the message",
}

// alone are phrases that are also parts of plain sentences.
var alone = map[string]bool{"no end": true, "also": true, "own door": true, "Read it": true, "Pass": true, "Keep it": true, "Leave it": true}

// saysRetired returns a retired phrase of a text, and what to say instead.
func saysRetired(text string) (phrase, instead string) {
	text = strings.Join(strings.Fields(text), " ")
	for phrase, instead := range retired {
		if text == phrase || strings.Contains(phrase, " ") && !alone[phrase] && strings.Contains(text, phrase) {
			return phrase, instead
		}
	}
	return "", ""
}

var (
	inTag    = regexp.MustCompile(`(?s)<!--.*?-->|<[a-zA-Z/](?:"[^"]*"|[^">])*>`)
	quoted   = regexp.MustCompile(`"((?:[^"\\]|\\.)*)"`)
	read     = regexp.MustCompile(`(?s)\b(?:placeholder|aria-label|title|alt)="([^"]*)"`)
	brokenAt = regexp.MustCompile(`\b(?:placeholder|aria-label|title|alt|value|href|action|name)="[^"]*\n[^"]*"`)
	anAction = regexp.MustCompile(`(?s)\{\{.*?\}\}`)
)

// Templates say what the interface says now, not what it said once.
func TestTemplatesSayNothingThatIsRetired(t *testing.T) {
	files := 0
	err := filepath.WalkDir("../..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && (d.Name() == "node_modules" || strings.HasPrefix(d.Name(), ".") && d.Name() != "..") {
			if err == nil && path != "../.." {
				return filepath.SkipDir
			}
			return err
		}
		if filepath.Ext(path) != ".html" || !strings.Contains(path, "/templates/") {
			return nil
		}
		files++
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		source := string(data)
		var texts []string
		for _, action := range anAction.FindAllString(source, -1) {
			if strings.Contains(action, "eq ") { // it compares what forms send
				continue
			}
			for _, m := range quoted.FindAllStringSubmatch(action, -1) {
				texts = append(texts, m[1])
			}
		}
		plain := anAction.ReplaceAllString(source, "\x00")
		for _, tag := range inTag.FindAllString(plain, -1) {
			for _, m := range read.FindAllStringSubmatch(tag, -1) {
				texts = append(texts, m[1])
			}
		}
		texts = append(texts, strings.FieldsFunc(inTag.ReplaceAllString(plain, "\x00"), func(r rune) bool { return r == 0 })...)
		for _, text := range texts {
			if phrase, instead := saysRetired(text); phrase != "" {
				t.Errorf("%s says %q: %q, in %q", path, phrase, instead, strings.TrimSpace(text))
			}
		}
		for _, broken := range brokenAt.FindAllString(anAction.ReplaceAllString(source, ""), -1) {
			t.Errorf("%s: an attribute runs over lines: %q", path, broken)
		}
		return nil
	})
	if err != nil || files < 50 {
		t.Fatalf("%d templates: %v", files, err)
	}
}

// Sentences in the code do not, either.
func TestStringsSayNothingThatIsRetired(t *testing.T) {
	files := 0
	for _, folder := range []string{"app", "console", "gate", "house", "words", "identity", "post", "core"} {
		err := filepath.WalkDir("../../"+folder, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			files++
			tree, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
			if err != nil {
				return err
			}
			ast.Inspect(tree, func(n ast.Node) bool {
				lit, ok := n.(*ast.BasicLit)
				if !ok || lit.Kind != token.STRING {
					return true
				}
				text, err := strconv.Unquote(lit.Value)
				if err != nil {
					t.Error(err)
				}
				if phrase, instead := saysRetired(text); phrase != "" && strings.Contains(text, " ") {
					t.Errorf("%s says %q: %q, in %q", path, phrase, instead, text)
				}
				return true
			})
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	if files < 100 {
		t.Errorf("%d files", files)
	}
}

// What holds the words finds what it is to find.
func TestRetiredPhrasesAreFound(t *testing.T) {
	for text, found := range map[string]bool{"Keep this": true, " Keep\n this ": true, "Whom to ask about it": true, "Tint": true, "Tint it": false, "no end date": false, "no end": true, "Applied.": false} {
		if phrase, _ := saysRetired(text); (phrase != "") != found {
			t.Errorf("%q: %q", text, phrase)
		}
	}
}
