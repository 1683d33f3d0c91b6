// Package code is the one vocabulary of what can be wrong with a design, and of why something is refused. Problems,
// refusals and the server's log name these codes, and so do answers to programs; sentences are made beside them,
// for people. docs/refusals.md lists them with what they mean.
package code

// Code says what is wrong, or why something was refused.
type Code string

// What can be wrong with a design.
const (
	IDForm     Code = "id-form"     // an id or key has not the form that it must have
	BuiltIn    Code = "built-in"    // it is part of every design, and cannot be defined or edited
	Taken      Code = "taken"       // an id, name or key that must be unique is another's
	Empty      Code = "empty"       // a text must not be empty
	Unknown    Code = "unknown"     // something is named that is not there
	Value      Code = "value"       // not one of the values that there are, or outside their range
	Cycle      Code = "cycle"       // a relation would come back to where it began
	Either     Code = "either"      // of several fields exactly one must be given
	Root       Code = "root"        // exactly one area lies in no other
	Implies    Code = "implies"     // a permission cannot imply that one
	Foreign    Code = "foreign"     // it belongs to another system
	Filter     Code = "filter"      // a filter cannot be read
	Misplaced  Code = "misplaced"   // a group is granted only at its home area or below
	Instant    Code = "instant"     // an instant outside the years 1 to 9999
	Text       Code = "text"        // a text is too long or has characters that are not seen, or a list is too long
	Dangling   Code = "dangling"    // a warning: a permission is named that no system has
	Never      Code = "never"       // a warning: it ends before it begins
	Narrower   Code = "narrower"    // a warning: an action lets a delegate do less than it did once
	Moved      Code = "moved"       // it changed since it was looked at
	ReferredTo Code = "referred-to" // something still names what is to be deleted
	Deleted    Code = "deleted"     // somebody who is deleted is given something
)

// Why something is refused.
const (
	NotSignedIn Code = "not-signed-in" // nobody is signed in, or no longer
	NotAllowed  Code = "not-allowed"   // neither a right nor a delegation permits it
	NotFound    Code = "not-found"     // there is no such thing, or none that the asker may see
	Method      Code = "method"        // what was asked for is there, and not by this method of HTTP
	Invalid     Code = "invalid"       // what was asked makes no sense as it is
	Conflict    Code = "conflict"      // it is so already, or somebody else was first
	Unproven    Code = "unproven"      // who asks must prove again who they are
	Busy        Code = "busy"          // it was tried too often, or too many ask at once
	NotFormed   Code = "well-formed"   // the design would not be well-formed; its problems say how
	Permitted   Code = "permitted"     // a change does what its maker may not do
	Supplied    Code = "supplied"      // a change edits what comes with a system, or is protected
	Fed         Code = "fed"           // a change gainsays a directory
	Lockout     Code = "lockout"       // a change would leave nobody with every right in Fachwerk
	Unkept      Code = "guarantee"     // a change would break a guarantee
	HandedOn    Code = "handed-on"     // a change hands on rights in Fachwerk that its maker does not hold
	Above       Code = "above"         // a change is about somebody with rights in Fachwerk that its maker does not hold
	Entrusted   Code = "entrusted"     // a change lets a directory fill a group that gives rights in Fachwerk
	Critical    Code = "critical"      // a change needs a fresh proof of who makes it
	Internal    Code = "internal"      // something unforeseen went wrong inside; the log says more
	Unusable    Code = "unusable"      // nothing can be recorded: the database's file or disk does not serve
	Copy        Code = "copy"          // a copy only answers from the design: ask the first
	Behind      Code = "behind"        // the revision that is asked for is not here yet
	Given       Code = "given-up"      // it was stopped, or nobody waits for the answer any longer
)

// All lists every code.
var All = []Code{
	IDForm,
	BuiltIn,
	Taken,
	Empty,
	Unknown,
	Value,
	Cycle,
	Either,
	Root,
	Implies,
	Foreign,
	Filter,
	Misplaced,
	Instant,
	Text,
	Dangling,
	Never,
	Narrower,
	Moved,
	ReferredTo,
	Deleted,
	NotSignedIn,
	NotAllowed,
	NotFound,
	Method,
	Invalid,
	Conflict,
	Unproven,
	Busy,
	NotFormed,
	Permitted,
	Supplied,
	Fed,
	Lockout,
	Unkept,
	HandedOn,
	Above,
	Entrusted,
	Critical,
	Internal,
	Unusable,
	Copy,
	Behind,
	Given,
}
