package api

import (
	"cmp"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/exchange/table"
)

// accounts are one's own account, the tokens of programs and the security log.
func (a *API) accounts() {
	type forgottenInput struct {
		Body struct {
			UserName string `json:"userName" minLength:"1" maxLength:"200"`
		}
	}
	on(
		a,
		operation{
			id:      "forgotten",
			method:  http.MethodPost,
			path:    "/api/forgotten-password",
			summary: "Ask for a letter by which to set a new password; the answer is the same whoever it is for",
			public:  true,
		},
		func(ctx context.Context, in *forgottenInput) (*none, error) {
			return nil, a.desk.Forgotten(in.Body.UserName, inner.Address(ctx))
		},
	)
	on(
		a,
		operation{id: "sessions", method: http.MethodGet, path: "/api/me/sessions", summary: "Your own sessions"},
		func(ctx context.Context, _ *struct{}) (*body[[]account.Session], error) {
			return answer(a.desk.Sessions(actor(ctx), a.sessions.GetString(ctx, sessionID)))
		},
	)
	type sessionInput struct {
		ID string `path:"id" maxLength:"100"`
	}
	on(
		a,
		operation{
			id:      "endSession",
			method:  http.MethodDelete,
			path:    "/api/me/sessions/{id}",
			summary: "End one of your sessions",
		},
		func(ctx context.Context, in *sessionInput) (*none, error) {
			return nil, a.desk.EndSession(actor(ctx), in.ID, a.sessions.GetString(ctx, sessionID))
		},
	)
	on(
		a,
		operation{
			id:      "endSessions",
			method:  http.MethodDelete,
			path:    "/api/me/sessions",
			summary: "End all of your other sessions",
		},
		func(ctx context.Context, _ *struct{}) (*none, error) {
			return nil, a.desk.EndSession(actor(ctx), "", a.sessions.GetString(ctx, sessionID))
		},
	)
	on(
		a,
		operation{id: "letters", method: http.MethodGet, path: "/api/me/letters", summary: "Which letters you want"},
		func(ctx context.Context, _ *struct{}) (*body[*account.Letters], error) {
			return answer(a.desk.Letters(actor(ctx)))
		},
	)
	type lettersInput struct{ Body account.Letters }
	on(
		a,
		operation{
			id:      "setLetters",
			method:  http.MethodPut,
			path:    "/api/me/letters",
			summary: "Choose which letters you want",
		},
		func(ctx context.Context, in *lettersInput) (*none, error) {
			return nil, a.desk.SetLetters(actor(ctx), in.Body)
		},
	)
	on(
		a,
		operation{id: "mailbox", method: http.MethodGet, path: "/api/me/mailbox", summary: "The letters that you got"},
		func(ctx context.Context, _ *struct{}) (*body[*account.Mailbox], error) {
			return answer(a.desk.Mailbox(actor(ctx)))
		},
	)
	type letterInput struct {
		ID int `path:"id" minimum:"1"`
	}
	on(
		a,
		operation{id: "openLetter", method: http.MethodGet, path: "/api/me/mailbox/{id}", summary: "A letter that you got"},
		func(ctx context.Context, in *letterInput) (*body[*account.Opened], error) {
			return answer(a.desk.OpenLetter(actor(ctx), in.ID))
		},
	)
	type changePasswordInput struct {
		Body struct {
			Present  string `json:"present" maxLength:"1000"`
			Password string `json:"password" maxLength:"1000"`
		}
	}
	on(
		a,
		operation{
			id:      "changePassword",
			method:  http.MethodPost,
			path:    "/api/me/password",
			summary: "Change your password; your other sessions end",
		},
		func(ctx context.Context, in *changePasswordInput) (*none, error) {
			id := a.sessions.GetString(ctx, sessionID)
			if err := a.desk.ChangePassword(actor(ctx), in.Body.Present, in.Body.Password, id); err != nil {
				return nil, err
			}
			return nil, a.proven(ctx)
		},
	)
	on(
		a,
		operation{id: "tokens", method: http.MethodGet, path: "/api/tokens", summary: "The tokens by which programs get in"},
		func(ctx context.Context, _ *struct{}) (*body[[]account.Token], error) {
			return answer(a.desk.Tokens(actor(ctx)))
		},
	)
	for _, file := range []struct {
		id, path, name, summary string
		of                      func(who desk.Actor) (*table.Table, error)
	}{
		{"exportTokens", "/api/lists/token/{form}", "tokens", "The tokens as a table, without their secrets", a.desk.TokensTable},
		{"exportAssignments", "/api/lists/assignment/{form}", "assignments",
			"All assignments as a table, as files of assignments are brought in", a.desk.AssignmentsTable},
		{"exportUses", "/api/lists/last-use/{form}", "last-uses",
			"When people last used what as a table, as files of last uses are brought in", a.desk.UsesTable},
	} {
		on(
			a,
			operation{id: file.id, method: http.MethodGet, path: file.path, summary: file.summary},
			func(ctx context.Context, in *FormInput) (*huma.StreamResponse, error) {
				t, err := file.of(actor(ctx))
				return tableAs(*in, "fachwerk-"+file.name, t, err)
			},
		)
	}
	type tokenInput struct{ Body account.NewToken }
	on(
		a,
		operation{
			id:      "addToken",
			method:  http.MethodPost,
			path:    "/api/tokens",
			summary: "Make a token; its secret is told this once",
		},
		func(ctx context.Context, in *tokenInput) (*body[*account.MadeToken], error) {
			return answer(a.desk.AddToken(actor(ctx), in.Body))
		},
	)
	on(
		a,
		operation{
			id:      "endToken",
			method:  http.MethodDelete,
			path:    "/api/tokens/{id}",
			summary: "Withdraw a token; it works no longer, at once",
		},
		func(ctx context.Context, in *sessionInput) (*none, error) {
			return nil, a.desk.EndToken(actor(ctx), in.ID)
		},
	)
	on(
		a,
		operation{
			id:      "takeToken",
			method:  http.MethodPost,
			path:    "/api/tokens/{id}/take-over",
			summary: "Become the maker of a token, as an owner: it does only what its maker could do",
		},
		func(ctx context.Context, in *sessionInput) (*none, error) {
			return nil, a.desk.TakeToken(actor(ctx), in.ID)
		},
	)
	on(
		a,
		operation{
			id:      "ties",
			method:  http.MethodGet,
			path:    "/api/people/{id}/identity",
			summary: "By what identity providers know somebody, as an owner",
		},
		func(ctx context.Context, in *sessionInput) (*body[[]account.Tie], error) {
			return answer(a.desk.Ties(actor(ctx), in.ID))
		},
	)
	on(
		a,
		operation{
			id:      "untie",
			method:  http.MethodDelete,
			path:    "/api/people/{id}/identity",
			summary: "Forget by what the identity provider knows somebody, as an owner",
		},
		func(ctx context.Context, in *sessionInput) (*none, error) {
			return nil, a.desk.Untie(actor(ctx), in.ID)
		},
	)
	a.securityLog()
}

// LogInput narrows the security log.
type LogInput struct {
	What  string    `query:"what" maxLength:"40" doc:"Only entries of this kind"`
	Who   string    `query:"who" maxLength:"200" doc:"Only what this person (by id), program or operator did"`
	Words string    `query:"q" maxLength:"200"`
	From  time.Time `query:"from"`
	Until time.Time `query:"until"`
}

func (in LogInput) search(before, limit int) account.LogSearch {
	return account.LogSearch{
		What:   in.What,
		Who:    in.Who,
		Words:  in.Words,
		From:   in.From,
		Until:  in.Until,
		Before: before,
		Limit:  limit,
	}
}

func (a *API) securityLog() {
	type logInput struct {
		LogInput
		Before int `query:"before" minimum:"0" doc:"Only entries below this number; 0: from the last on"`
		Limit  int `query:"limit" minimum:"1" maximum:"500" default:"100"`
	}
	on(
		a,
		operation{
			id:      "securityLog",
			method:  http.MethodGet,
			path:    "/api/security-log",
			summary: "Who got in, or was kept out, latest first",
		},
		func(ctx context.Context, in *logInput) (*body[[]account.LogEntry], error) {
			return answer(a.desk.SecurityLog(actor(ctx), in.search(in.Before, in.Limit)))
		},
	)
	type fileInput struct {
		LogInput
		Form string `path:"form" enum:"csv,jsonl"`
	}
	on(
		a,
		operation{
			id:      "securityLogFile",
			method:  http.MethodGet,
			path:    "/api/security-log/{form}",
			summary: "The security log as CSV or JSON Lines, latest first",
		},
		func(ctx context.Context, in *fileInput) (*huma.StreamResponse, error) {
			who := actor(ctx)
			first, err := a.desk.SecurityLog(who, in.search(0, logPage))
			if err != nil {
				return nil, err
			}
			kinds := map[string]string{"csv": "text/csv; charset=utf-8", "jsonl": "application/jsonl"}
			return download(kinds[in.Form], "security-log."+in.Form, func(to io.Writer) error {
				write, flush := rowsOf(to, in.Form)
				for list := first; len(list) > 0; {
					for _, e := range list {
						if err := write(e); err != nil {
							return err
						}
					}
					if list, err = a.desk.SecurityLog(who, in.search(list[len(list)-1].ID, logPage)); err != nil {
						return err
					}
				}
				return flush()
			}), nil
		},
	)
}

// logPage is how many entries are read at once for a file.
const logPage = 500

// rowsOf writes entries of the log one after another; flush writes what has not gone yet.
func rowsOf(to io.Writer, form string) (row func(account.LogEntry) error, flush func() error) {
	if form == "jsonl" {
		lines := json.NewEncoder(to)
		return func(e account.LogEntry) error { return lines.Encode(e) }, func() error { return nil }
	}
	lines := table.NewLines(to)
	err := lines.Write([]string{"number", "at", "what", "who", "user", "from", "text", "hash"})
	return func(e account.LogEntry) error {
		return cmp.Or(err, lines.Write([]string{
			strconv.Itoa(e.ID), e.At.Format(time.RFC3339), e.What, e.Who, e.User, e.From, e.Text, e.Hash,
		}))
	}, lines.Flush
}
