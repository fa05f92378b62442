package api

import (
	"net/http"

	"fanfold/internal/core/people"
)

// needs is what an operation of the contract does, for those that do not go by their method: what is
// got is looked at, and everything else changes something. docs/roles.md has all of them.
var needs = map[string]people.Doing{
	// They compute, preview or translate, and keep nothing.
	"FileMachines": people.Look, "CompareTemplates": people.Look, "PutSessionRight": people.Look, "CheckPalette": people.Look, "ReadPalette": people.Look,
	"TranslateMidi": people.Look, "Playable": people.Look, "CallCost": people.Look, "CompareCalls": people.Look, "CheckMap": people.Look, "TryMap": people.Look,
	"Compile": people.Look, "CompileMidi": people.Look, "WhatIf": people.Look, "FindTempi": people.Look, "LookAt": people.Look, "Here": people.Look, "Looked": people.Look,
	// Of oneself.
	"SignIn": people.Look, "SignInDemo": people.Look, "SignOut": people.Look, "ChangePassword": people.Look, "EndSessions": people.Look, "TakeInvitation": people.Look, "TakeInvitationByPasskey": people.Look, "BeginInvitedPasskey": people.Look,
	"StartCodes": people.Look, "UseCodes": people.Look, "EndCodes": people.Look, "BeginPasskey": people.Look, "KeepPasskey": people.Look, "RemovePasskey": people.Look, "BeginPasskeySignIn": people.Look, "SignInPasskey": people.Look,
	// What no undo brings back.
	"DeletePrint": people.Delete, "EndTemplate": people.Delete,
	// Ways in.
	"MakeCredential": people.Credentials, "RevokeCredential": people.Credentials, "Deliver": people.Credentials, "NewLink": people.Credentials, "EndLink": people.Credentials, "ShareTemplate": people.Credentials, "EndShare": people.Credentials,
	// Who is in the studio.
	"Members": people.Look, "Notes": people.Members, "NotesSheet": people.Members, "Invite": people.Members, "EndInvitation": people.Members, "SetRole": people.Members, "RemoveMember": people.Members, "LetBackIn": people.Members, "ArchiveStudio": people.Members, "EndStudio": people.Members, "KeepStudio": people.Members,
}

// doingOf is what an operation does.
func doingOf(operation, method string) people.Doing {
	if d, ok := needs[operation]; ok {
		return d
	}
	if method == http.MethodGet {
		return people.Look
	}
	return people.Change
}
