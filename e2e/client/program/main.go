//go:build generated

// Program does the whole task by a client that a generator made of the API's description, and of nothing else: it
// creates a role, assigns it, applies both, and verifies what came of it. It is built by the test beside it.
package main

import (
	"context"
	"fmt"
	"log"
	"net/http"
	"os"
	"time"

	"fachwerk/e2e/client/generated"
)

const (
	person     = "noor.tamsin"
	permission = "crewtide:overtime:grant"
)

func main() {
	log.SetFlags(0)
	if err := run(context.Background(), os.Args[1], os.Getenv("TOKEN")); err != nil {
		log.Fatal(err)
	}
}

func run(ctx context.Context, url, token string) error {
	c, err := generated.NewClientWithResponses(url, generated.WithRequestEditorFn(
		func(_ context.Context, r *http.Request) error {
			r.Header.Set("Authorization", "Bearer "+token)
			return nil
		},
	))
	if err != nil {
		return err
	}
	if held, err := holds(ctx, c); err != nil || held {
		return fmt.Errorf("at first it is held: %v, %w", held, err)
	}
	permissions := []string{permission}
	put, err := c.PutRoleWithResponse(ctx, generated.PutRole{
		After: generated.DesignRole{Name: "Overtime granter", Permissions: &permissions},
	})
	if err != nil || put.JSON200 == nil {
		return fmt.Errorf("the role is answered %s %s, %w", put.Status(), put.Body, err)
	}
	until := time.Date(2027, 3, 31, 0, 0, 0, 0, time.UTC)
	assigned, err := c.AssignWithResponse(ctx, generated.AssignInputBody{
		Subjects: []generated.End{{Kind: "user", Id: person}},
		Targets:  []generated.End{{Kind: "role", Id: "overtime-granter"}},
		Terms:    &generated.JoinTerms{Until: &until},
	})
	if err != nil || assigned.JSON200 == nil {
		return fmt.Errorf("the assignment is answered %s %s, %w", assigned.Status(), assigned.Body, err)
	}
	if n := len(assigned.JSON200.People); n != 1 {
		return fmt.Errorf("%d people gain or lose by the draft", n)
	}
	stale, err := c.ApplyWithResponse(ctx, generated.ApplyInputBody{Reason: "overtime", Stamp: "of another draft"})
	if err != nil || stale.ApplicationproblemJSON409 == nil {
		return fmt.Errorf("another draft is answered %s %s, %w", stale.Status(), stale.Body, err)
	}
	applied, err := c.ApplyWithResponse(ctx, generated.ApplyInputBody{
		Reason: "overtime in the spring", Stamp: assigned.JSON200.Stamp,
	})
	if err != nil || applied.JSON200 == nil || applied.JSON200.Gaining != 1 {
		return fmt.Errorf("to apply is answered %s %s, %w", applied.Status(), applied.Body, err)
	}
	held, err := holds(ctx, c)
	if err != nil || !held {
		return fmt.Errorf("in the end it is held: %v, %w", held, err)
	}
	fmt.Println("revision", applied.JSON200.Revision)
	return nil
}

// holds asks whether the person holds the permission.
func holds(ctx context.Context, c *generated.ClientWithResponses) (bool, error) {
	trace, err := c.TraceWithResponse(ctx, person, &generated.TraceParams{Permission: permission})
	if err != nil {
		return false, err
	}
	if trace.JSON200 == nil {
		return false, fmt.Errorf("the trace is answered %s %s", trace.Status(), trace.Body)
	}
	return len(trace.JSON200.Held) > 0, nil
}
