package account

import (
	"time"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/store"
)

// LogEntry is one of the security log.
type LogEntry struct {
	ID   int       `json:"id"`
	At   time.Time `json:"at"`
	What string    `json:"what"`
	Who  string    `json:"who" doc:"A person by name, or a program or operator; empty if nobody is known"`
	User string    `json:"user,omitempty" doc:"The person's id"`
	From string    `json:"from" doc:"The address that it came from; empty for the server itself"`
	Text string    `json:"text"`
	Hash string    `json:"hash" doc:"Of the chain up to here"`
}

// LogSearch narrows the security log.
type LogSearch struct {
	What, Who, Words string
	From, Until      time.Time
	Before, Limit    int
}

// SecurityLog gives a page of the security log, latest first, to who sees the whole history: owners and auditors.
func (d *Accounts) SecurityLog(who desk.Actor, q LogSearch) ([]LogEntry, error) {
	h, err := d.Enter(who, model.ViewHistory)
	if err != nil {
		return nil, err
	}
	list, err := d.Reading(who).
		Events(store.EventSearch{What: q.What, Who: q.Who, Words: q.Words, From: q.From, Until: q.Until}, q.Before, q.Limit)
	if err != nil {
		return nil, err
	}
	out := []LogEntry{}
	for _, e := range list {
		row := LogEntry{ID: e.ID, At: e.At, What: e.What, Who: e.Who, From: e.From, Text: e.Text, Hash: e.Hash}
		if u, ok := h.Design().Users.Find(e.Who); ok {
			row.Who, row.User = u.DisplayName, u.ID
		}
		out = append(out, row)
	}
	return out, nil
}
