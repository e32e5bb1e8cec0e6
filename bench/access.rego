package access

default allow := false

allow if {
	admitted
	in_time
}

admitted if admits(rule.kind)

admitted if net.cidr_contains(rule.net, input.ip)

admits("public") := true

admits("password") if input.unlocked == rule.path

admits("domain") if data.people[input.who].domain == rule.domain

admits("members") if data.people[input.who].guest

admits("list") if rule.people[input.who]

admits("list") if {
	some group, _ in data.people[input.who].groups
	rule.groups[group]
}

in_time if not rule.until

in_time if {
	input.at >= rule.from
	input.at < rule.until
}

# How "rule" is found follows: see engines.go.
