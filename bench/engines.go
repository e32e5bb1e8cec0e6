package main

import (
	"context"
	_ "embed"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"github.com/casbin/casbin/v2"
	"github.com/casbin/casbin/v2/model"
	defaultrolemanager "github.com/casbin/casbin/v2/rbac/default-role-manager"
	"github.com/casbin/casbin/v2/util"
	"github.com/cedar-policy/cedar-go"
	"github.com/cedar-policy/cedar-go/types"
	"github.com/open-policy-agent/opa/v1/ast"
	"github.com/open-policy-agent/opa/v1/rego"
	"github.com/open-policy-agent/opa/v1/storage/inmem"

	"velada/core/access"
)

// engine answers whether a request may view its page.
type engine interface{ allow(*request) bool }

type velada struct{ site *access.CompiledSite }

func (v velada) allow(r *request) bool {
	return v.site.Decide(r.path, &r.visitor, r.instant).Outcome == access.Open
}

// plainMaps walks up the path to the nearest rule and looks the visitor up in
// maps: what one would write by hand first.
type plainMaps struct {
	rules  map[string]*plainRule
	groups []map[string]struct{}
	guests map[string]struct{}
	net    netip.Prefix
}

type plainRule struct {
	rule
	named map[string]struct{}
}

func newPlainMaps(s *scenario) *plainMaps {
	set := func(list []int) map[string]struct{} {
		m := make(map[string]struct{}, len(list))
		for _, p := range list {
			m[s.people[p]] = struct{}{}
		}
		return m
	}
	n := &plainMaps{rules: map[string]*plainRule{}, guests: set(s.guests), net: netip.MustParsePrefix(network)}
	for _, g := range s.groups {
		n.groups = append(n.groups, set(g))
	}
	for _, r := range s.rules {
		n.rules[r.path] = &plainRule{r, set(r.people)}
	}
	return n
}

func (n *plainMaps) allow(r *request) bool {
	path := r.path
	rule := n.rules[path]
	for rule == nil {
		path = above(path)
		rule = n.rules[path]
	}
	if rule.until != 0 && (r.at < rule.from || r.at >= rule.until) {
		return false
	}
	if rule.net && n.net.Contains(r.ip) {
		return true
	}
	switch rule.kind {
	case public:
		return true
	case password:
		return r.unlocked == rule.path
	case domain:
		return strings.HasSuffix(r.who, "@"+ownDomain)
	case members:
		_, ok := n.guests[r.who]
		return ok
	case list:
		if _, ok := rule.named[r.who]; ok {
			return true
		}
		for _, g := range rule.groups {
			if _, ok := n.groups[g][r.who]; ok {
				return true
			}
		}
	}
	return false
}

// cedarEngine has one policy a rule: people are entities in their groups, their
// domain and the guest list; pages are in their parents but where a rule of
// their own ends the inheritance. Scoped, it is handed the one rule that matters.
type cedarEngine struct {
	all      *cedar.PolicySet
	byRule   []*cedar.PolicySet
	entities types.EntityMap
	scoped   bool
}

func newCedar(s *scenario, scoped bool) *cedarEngine {
	c := &cedarEngine{all: cedar.NewPolicySet(), entities: types.EntityMap{}, scoped: scoped}
	add := func(id cedar.EntityUID, parents ...cedar.EntityUID) {
		c.entities[id] = cedar.Entity{UID: id, Parents: cedar.NewEntityUIDSet(parents...)}
	}
	guest := cedar.NewEntityUID("Group", "guests")
	add(guest)
	add(cedar.NewEntityUID("Domain", ownDomain))
	for g := range s.groups {
		add(cedarGroup(g))
	}
	for p, who := range s.people {
		var in []cedar.EntityUID
		if strings.HasSuffix(who, "@"+ownDomain) {
			in = append(in, cedar.NewEntityUID("Domain", ownDomain))
		}
		for _, g := range s.groupsOf[p] {
			in = append(in, cedarGroup(g))
		}
		if slices.Contains(s.guests, p) {
			in = append(in, guest)
		}
		add(cedar.NewEntityUID("Person", cedar.String(who)), in...)
	}
	add(cedarPage("/"))
	for i, path := range s.paths {
		if s.rules[s.ruleOf[i]].path == path {
			add(cedarPage(path))
		} else {
			add(cedarPage(path), cedarPage(above(path)))
		}
	}
	for i, r := range s.rules {
		var p cedar.Policy
		if err := p.UnmarshalCedar([]byte(cedarPolicy(s, r))); err != nil {
			panic(err)
		}
		one := cedar.NewPolicySet()
		one.Add("rule", &p)
		c.byRule = append(c.byRule, one)
		c.all.Add(cedar.PolicyID(fmt.Sprint("rule", i)), &p)
	}
	return c
}

func cedarGroup(g int) cedar.EntityUID {
	return cedar.NewEntityUID("Group", cedar.String(fmt.Sprint(g)))
}

func cedarPage(path string) cedar.EntityUID { return cedar.NewEntityUID("Page", cedar.String(path)) }

func cedarPolicy(s *scenario, r rule) string {
	admits := map[kind]string{
		public: "true", closed: "false", password: fmt.Sprintf("context.unlocked == %q", r.path),
		domain: fmt.Sprintf("principal in Domain::%q", ownDomain), members: `principal in Group::"guests"`,
	}[r.kind]
	if r.kind == list {
		var who []string
		for _, g := range r.groups {
			who = append(who, cedarGroup(g).String())
		}
		for _, p := range r.people {
			who = append(who, fmt.Sprintf("Person::%q", s.people[p]))
		}
		admits = "principal in [" + strings.Join(who, ", ") + "]"
	}
	if r.net {
		admits += fmt.Sprintf(" || context.ip.isInRange(ip(%q))", network)
	}
	text := fmt.Sprintf("permit (principal, action == Action::\"view\", resource in Page::%q) when { %s }", r.path, admits)
	if r.until != 0 {
		text += fmt.Sprintf(" when { context.at >= %d && context.at < %d }", r.from, r.until)
	}
	return text + ";"
}

var cedarView = cedar.NewEntityUID("Action", "view")

func (c *cedarEngine) allow(r *request) bool {
	policies := c.all
	if c.scoped {
		policies = c.byRule[r.rule]
	}
	ok, diagnostic := cedar.Authorize(policies, c.entities, cedar.Request{
		Principal: cedar.NewEntityUID("Person", cedar.String(r.who)), Action: cedarView, Resource: cedarPage(r.path),
		Context: cedar.NewRecord(cedar.RecordMap{
			"ip": cedar.IPAddr(netip.PrefixFrom(r.ip, r.ip.BitLen())), "at": cedar.Long(r.at), "unlocked": cedar.String(r.unlocked),
		}),
	})
	if len(diagnostic.Errors) > 0 {
		panic(diagnostic.Errors[0])
	}
	return bool(ok)
}

// casbinEngine has one line for each group or person a rule admits; groups, the
// domain and the guest list are roles.
type casbinEngine struct {
	all    *casbin.Enforcer
	byRule []*casbin.Enforcer
}

const casbinModel = `
[request_definition]
r = sub, obj, unlocked, ip, at
[policy_definition]
p = priority, sub, obj, net, from, until, eft
[policy_effect]
e = %s
[matchers]
m = %s(p.sub == "*" || p.sub == "password" && r.unlocked == p.obj || within(r.sub, p.sub)) && (p.net == "" || inNet(r.ip, p.net)) && (p.until == "0" || during(r.at, p.from, p.until))
`

func newCasbin(s *scenario, scoped bool) *casbinEngine {
	roles := defaultrolemanager.NewRoleManager(2)
	link := func(who, role string) {
		if err := roles.AddLink(who, role); err != nil {
			panic(err)
		}
	}
	for p, who := range s.people {
		_, host, _ := strings.Cut(who, "@")
		link(who, "domain:"+host)
		for _, g := range s.groupsOf[p] {
			link(who, fmt.Sprint("group:", g))
		}
	}
	for _, p := range s.guests {
		link(s.people[p], "guests")
	}
	within := util.GenerateGFunction(roles)
	text := fmt.Sprintf(casbinModel, "priority(p.eft) || deny", "under(r.obj, p.obj) && ")
	if scoped {
		text = fmt.Sprintf(casbinModel, "some(where (p.eft == allow))", "")
	}
	enforcer := func(rules ...rule) *casbin.Enforcer {
		m, err := model.NewModelFromString(text)
		if err != nil {
			panic(err)
		}
		e, err := casbin.NewEnforcer(m)
		if err != nil {
			panic(err)
		}
		e.AddFunction("within", within)
		e.AddFunction("under", func(a ...any) (any, error) { return access.Covers(a[1].(string), a[0].(string)), nil })
		e.AddFunction("inNet", casbinInNet)
		e.AddFunction("during", casbinDuring)
		for _, r := range rules {
			if _, err := e.AddPolicies(casbinLines(s, r)); err != nil {
				panic(err)
			}
		}
		if err := e.GetModel().SortPoliciesByPriority(); err != nil {
			panic(err)
		}
		return e
	}
	if !scoped {
		return &casbinEngine{all: enforcer(s.rules...)}
	}
	c := &casbinEngine{}
	for _, r := range s.rules {
		c.byRule = append(c.byRule, enforcer(r))
	}
	return c
}

// casbinLines lists whom the rule admits, then turns everybody else away.
func casbinLines(s *scenario, r rule) (lines [][]string) {
	allow := func(sub, net string) {
		lines = append(lines, []string{fmt.Sprint(2 * (3 - depth(r.path))), sub, r.path, net, fmt.Sprint(r.from), fmt.Sprint(r.until), "allow"})
	}
	switch r.kind {
	case public:
		allow("*", "")
	case password:
		allow("password", "")
	case domain:
		allow("domain:"+ownDomain, "")
	case members:
		allow("guests", "")
	case list:
		for _, g := range r.groups {
			allow(fmt.Sprint("group:", g), "")
		}
		for _, p := range r.people {
			allow(s.people[p], "")
		}
	}
	if r.net {
		allow("*", network)
	}
	return append(lines, []string{fmt.Sprint(2*(3-depth(r.path)) + 1), "*", r.path, "", "0", "0", "deny"})
}

func casbinInNet(a ...any) (any, error) {
	ip, err := netip.ParseAddr(a[0].(string))
	if err != nil {
		return false, err
	}
	net, err := netip.ParsePrefix(a[1].(string))
	return net.Contains(ip), err
}

func casbinDuring(a ...any) (any, error) {
	var t [3]int64
	for i := range t {
		var err error
		if t[i], err = strconv.ParseInt(a[i].(string), 10, 64); err != nil {
			return false, err
		}
	}
	return t[0] >= t[1] && t[0] < t[2], nil
}

func (c *casbinEngine) allow(r *request) bool {
	e := c.all
	if e == nil {
		e = c.byRule[r.rule]
	}
	ok, err := e.Enforce(r.who, r.path, r.unlocked, r.ipText, r.atText)
	if err != nil {
		panic(err)
	}
	return ok
}

//go:embed access.rego
var accessRego string

// opaEngine evaluates access.rego as a prepared query over an in-memory store.
type opaEngine struct {
	query  rego.PreparedEvalQuery
	ruleOf []*ast.Term // by rule; scoped only
}

func newOPA(s *scenario, scoped bool) *opaEngine {
	type obj = map[string]any
	o := &opaEngine{}
	persons, pages, rules := obj{}, obj{}, obj{}
	for p, who := range s.people {
		in := obj{}
		for _, g := range s.groupsOf[p] {
			in[fmt.Sprint(g)] = true
		}
		_, host, _ := strings.Cut(who, "@")
		persons[who] = obj{"domain": host, "guest": slices.Contains(s.guests, p), "groups": in}
	}
	for _, path := range s.paths {
		chain := []any{path}
		for up := path; up != "/"; {
			up = above(up)
			chain = append(chain, up)
		}
		pages[path] = chain
	}
	for _, r := range s.rules {
		named, in := obj{}, obj{}
		for _, p := range r.people {
			named[s.people[p]] = true
		}
		for _, g := range r.groups {
			in[fmt.Sprint(g)] = true
		}
		one := obj{"path": r.path, "kind": string(r.kind), "domain": ownDomain, "people": named, "groups": in}
		if r.net {
			one["net"] = network
		}
		if r.until != 0 {
			one["from"], one["until"] = r.from, r.until
		}
		rules[r.path] = one
		if scoped {
			o.ruleOf = append(o.ruleOf, ast.StringTerm(r.path))
		}
	}
	source := accessRego + "rule := [r | some p in data.pages[input.path]; r := data.rules[p]][0]\n"
	if scoped {
		source = accessRego + "rule := data.rules[input.rule]\n"
	}
	store := inmem.NewFromObjectWithOpts(obj{"people": persons, "pages": pages, "rules": rules}, inmem.OptReturnASTValuesOnRead(true))
	var err error
	o.query, err = rego.New(rego.Module("access.rego", source), rego.Query("data.access.allow"), rego.Store(store)).PrepareForEval(context.Background())
	if err != nil {
		panic(err)
	}
	return o
}

var (
	opaWho, opaPath, opaIP = ast.StringTerm("who"), ast.StringTerm("path"), ast.StringTerm("ip")
	opaAt, opaUnlocked     = ast.StringTerm("at"), ast.StringTerm("unlocked")
	opaRule                = ast.StringTerm("rule")
)

func (o *opaEngine) allow(r *request) bool {
	where := ast.Item(opaPath, ast.StringTerm(r.path))
	if o.ruleOf != nil {
		where = ast.Item(opaRule, o.ruleOf[r.rule])
	}
	input := ast.NewObject(where,
		ast.Item(opaWho, ast.StringTerm(r.who)), ast.Item(opaIP, ast.StringTerm(r.ipText)),
		ast.Item(opaAt, ast.IntNumberTerm(int(r.at))), ast.Item(opaUnlocked, ast.StringTerm(r.unlocked)))
	result, err := o.query.Eval(context.Background(), rego.EvalParsedInput(input))
	if err != nil {
		panic(err)
	}
	return result.Allowed()
}
