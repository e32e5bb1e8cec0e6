package console

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"
	"time"

	"velada/app/traffic"
	"velada/core/access"
	"velada/store"
)

func TestTrafficTellsWhoWasTurnedAway(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/sites/variable-stars/traffic", "turned away", "58 at Crew Corvus", "opens to them on 12 Dec 2026 20:00", "Tobias Okafor, at Crew Antlia", "no way in names them", "Try letting them in", "Strangers, at Course notes", "asked to sign in", "society.cerroalcor.example", "Phone")
	d.shows("/sites/society/traffic?span=year", "requests of robots are not in these figures", "news.aula.example")
	if body := d.shows("/sites/dossier/traffic?from=1%20Jan%202020&to=31%20Jan%202020", "Nobody has come in this time"); strings.Contains(body, "Try letting them in") {
		t.Error("another time is told")
	}
	d.shows("/sites/variable-stars", "Visits, 28 days")
	d.shows("/traffic", "Cerro Alcor Society", "Instrument Log")
	analyst := d.another().signIn("mateo@cerroalcor.example") // an editor here, owner of the log
	if status, _, _ := analyst.get("/sites/variable-stars/traffic"); status != 403 {
		t.Errorf("an editor: %d", status)
	}
	if body := analyst.shows("/sites/variable-stars"); strings.Contains(body, "Visits, 28 days") {
		t.Error("an editor is told of visits")
	}
	analyst.shows("/sites/instrument-log/traffic", "pages opened")
}

func TestTrafficAsData(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	_, body, h := d.get("/sites/variable-stars/traffic/data.csv")
	lines := strings.Split(strings.TrimSpace(body), "\n")
	if !strings.Contains(h.Get("Content-Type"), "text/csv") || lines[0] != "hour,page,who,outcome,why,times" || len(lines) < 100 || !strings.Contains(body, ",/crew/corvus,person:") {
		t.Errorf("%d lines: %s", len(lines), lines[0])
	}
	_, body, _ = d.get("/sites/variable-stars/traffic/data.json")
	var told struct {
		Opened, Visitors int
		Turned           int `json:"turned_away"`
		Pages            map[string]map[string]int
	}
	if err := json.Unmarshal([]byte(body), &told); err != nil || told.Opened == 0 || told.Visitors == 0 || told.Pages["/crew/corvus"]["turned_away"] != 58 {
		t.Errorf("%v %+v", err, told)
	}
}

// What is tried out says what it would have meant, in the tray and in detail.
func TestARehearsalIsHeldAgainstVisits(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/sites/variable-stars/traffic/replay", "Nothing is tried out")
	ines, _ := d.house.ActorOf("ines")
	if err := d.house.Trays.Rehearse(t.Context(), ines, "variable-stars", func(draft *access.Site, _ map[string]store.NewSecret) error {
		draft.Door.Ways = []access.Way{{Way: "anyone"}}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	d.shows("/sites/variable-stars/traffic/against", "would get in")
	d.shows("/sites/variable-stars/traffic", "Against your rehearsal", "would have got in")
	body := d.shows("/sites/variable-stars/traffic/replay", "were decided again", "Strangers", "a further step", "it opens")
	if strings.Contains(body, "Crew Corvus") {
		t.Error("what another door shuts is said to open")
	}
	d.shows("/sites/variable-stars/door", `hx-get="/sites/variable-stars/traffic/against"`)
	d.post("/sites/variable-stars/rehearsal/apply", "meant", "yes")
	d.shows("/sites/variable-stars/traffic?span=7", "1 change of doors and editions", "is removed")
}

// How a site is counted is its own choice, and told to those whom it concerns.
func TestHowASiteIsCounted(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	if status, body, _ := d.post("/sites/society/traffic/choices", "names", "yes", "days", "90", "months", "24"); status != 422 || !strings.Contains(body, "Choose 1 to 28 days.") {
		t.Errorf("%d", status)
	}
	d.post("/sites/society/traffic/choices", "names", "yes", "days", "14", "months", "12")
	if c := traffic.Choice(d.house, "society"); !c.Names || c.Days != 14 || c.Months != 12 {
		t.Errorf("%+v", c)
	}
	d.shows("/sites/society/traffic", `value="14"`)
	d.shows("/sites/society/ledger", "People who sign in are counted by name")
}

// Logs of another server are read from the view, and what is wrong is told by line.
func TestLogsAreRead(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/sites/society/traffic", "Logs of another server")
	d.shows("/sites/society/traffic/logs", "no line counts twice")
	at := d.house.Now().Add(-100 * 24 * time.Hour).Format("02/Jan/2006:15:04:05 -0700")
	log := "203.0.113.5 - - [" + at + "] \"GET /visit HTTP/1.1\" 200 12\n<script>no line</script>\n"
	if status, _ := d.send("/sites/society/traffic/logs", "log", "access.log", []byte(log), "host", "www.cerroalcor.example"); status != http.StatusSeeOther {
		t.Fatal(status)
	}
	if body := d.shows("/sites/society/traffic/logs", "Read last", "access.log: 2 lines", "counted", "could not be read", "there is no time in [brackets]"); strings.Contains(body, "203.0.113.5") {
		t.Error("an address is shown")
	}
	d.shows("/sites/society/ledger", "Logs of another server were read: of 2 lines 1 were counted.")
	if status, body := d.send("/sites/society/traffic/logs", "other", "access.log", []byte(log), "host", "x.example"); status != http.StatusUnprocessableEntity || !strings.Contains(body, "Choose one or more log files") || !strings.Contains(body, `value="x.example"`) {
		t.Error(status)
	}
}

func TestTrafficIsComparedWithAnotherTime(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	const at = "/sites/variable-stars/traffic?from=1%20Nov%202026&to=14%20Nov%202026"
	if body := d.shows(at, "Compared with 18 Oct 2026 to 31 Oct 2026."); strings.Contains(body, `class="than"`) {
		t.Error("the time before is drawn though nobody asked")
	}
	if body := d.shows(at+"&than=1%20Oct%202026", "Compared with 1 Oct 2026 to 14 Oct 2026.", `value="1 Oct 2026"`, "; 1 Oct: "); strings.Count(body, `class="than"`) != 14 {
		t.Error(strings.Count(body, `class="than"`), "lines")
	}
	d.shows(at+"&than=nonsense", "Compared with 18 Oct 2026 to 31 Oct 2026.")
}
