// Package people knows who of a studio may do what: roles go in, and whether they may comes out.
package people

import "slices"

// Role is what a member of a studio may do.
type Role string

// The roles, the one that may most first.
const (
	Owner     Role = "owner"
	Arranger  Role = "arranger"
	Assistant Role = "assistant"
	Reader    Role = "reader"
)

// Roles lists every role, the one that may most first.
var Roles = []Role{Owner, Arranger, Assistant, Reader}

// Doing is a kind of thing that people do in a studio.
type Doing string

// What is done, that which all may do first.
const (
	Look        Doing = "look"        // look, listen, take out; one's own password and sessions
	Change      Doing = "change"      // templates, libraries, productions, and what the machines have ready
	Delete      Doing = "delete"      // what no undo brings back
	Credentials Doing = "credentials" // of machines, and links by which people outside get at something
	Members     Doing = "members"     // who is in the studio, and as what
)

// Doings lists everything that is done, with who may do it and in words.
var Doings = []struct {
	Doing Doing
	Least Role // the least role that may
	Words string
	Not   string // what those are told who may not
}{
	{Look, Reader, "look, listen and take out", "look at this"},
	{Change, Assistant, "change templates, libraries and productions, and run the machines", "change anything or run the machines"},
	{Delete, Arranger, "delete things for good", "delete this"},
	{Credentials, Arranger, "issue machine credentials, deliver, and share by links", "issue credentials, deliver or make links"},
	{Members, Owner, "manage members, and take out or delete the whole studio", "manage members, or the studio as a whole"},
}

// May tells whether a role may do something. A role or a doing that there is not may nothing.
func (r Role) May(d Doing) bool {
	at := slices.Index(Roles, r)
	for _, x := range Doings {
		if x.Doing == d {
			return at >= 0 && at <= slices.Index(Roles, x.Least)
		}
	}
	return false
}

// Can says in words what a role may do.
func (r Role) Can() []string {
	var out []string
	for _, x := range Doings {
		if r.May(x.Doing) {
			out = append(out, x.Words)
		}
	}
	return out
}

// Refused is the error of somebody who may not.
type Refused struct {
	Role  Role
	Doing Doing
}

func (e *Refused) Error() string {
	for _, x := range Doings {
		if x.Doing == e.Doing {
			return article(e.Role) + " of this studio cannot " + x.Not + "; ask an owner"
		}
	}
	return "nobody may do this"
}

func article(r Role) string {
	if r == Reader {
		return "a " + string(r)
	}
	return "an " + string(r)
}
