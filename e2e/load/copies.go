package main

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

// measureCopies starts copies of a server and measures them.
func measureCopies(
	program string,
	n int,
	token string,
	first *server,
	c *client,
	w *writer,
	requests [][]byte,
	span, applies time.Duration,
) error {
	if err := os.Setenv("FACHWERK_FOLLOW_TOKEN", token); err != nil {
		return err
	}
	var copies []*server
	for range n {
		s, err := serve(program, "serve", "--follow", first.url)
		if err != nil {
			return err
		}
		defer s.stop()
		copies = append(copies, s)
	}
	fmt.Println("a copy, once ready:", copies[0].resident())
	for k := 1; k <= n; k *= 2 {
		sum := 0.0
		var mu sync.Mutex
		var wait sync.WaitGroup
		for _, s := range copies[:k] {
			wait.Go(func() {
				own := &client{url: s.url, token: c.token}
				r := own.run(span, requests)
				mu.Lock()
				sum += float64(len(r.took)) / r.whole.Seconds()
				mu.Unlock()
			})
		}
		wait.Wait()
		fmt.Printf("%d copies: %.0f decisions a second in sum\n", k, sum)
	}
	lags, err := lag(copies, w, applies)
	if err != nil {
		return err
	}
	fmt.Printf(
		"%d revisions; after the acknowledgement, a copy has one within %v in the middle, %v at the 99th percentile, %v "+
			"at most\n",
		len(lags)/n,
		lags[len(lags)/2].Round(time.Millisecond),
		lags[len(lags)*99/100].Round(time.Millisecond),
		lags[len(lags)-1].Round(time.Millisecond),
	)

	held := copies[0]
	if err := held.Process.Signal(syscall.SIGSTOP); err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(context.Background(), applies)
	defer cancel()
	w.took = nil
	w.run(ctx)
	if w.err != nil {
		return w.err
	}
	last, err := revision(first)
	if err != nil {
		return err
	}
	began := time.Now()
	if err := held.Process.Signal(syscall.SIGCONT); err != nil {
		return err
	}
	for {
		if ok, err := atLeast(held, last); err != nil {
			return err
		} else if ok {
			break
		}
	}
	fmt.Printf("held for %v while %d revisions were applied, a copy has them after %v\n", applies, len(w.took),
		time.Since(began).Round(time.Millisecond))
	return nil
}

// lag applies revisions and measures how long after each is acknowledged each copy has it.
func lag(copies []*server, w *writer, span time.Duration) (all []time.Duration, err error) {
	for began := time.Now(); time.Since(began) < span; {
		start := time.Now()
		if err := w.one(); err != nil {
			return nil, err
		}
		acknowledged := time.Now()
		n, err := revision(&server{url: w.url})
		if err != nil {
			return nil, err
		}
		took := make([]time.Duration, len(copies))
		errs := make([]error, len(copies))
		var wait sync.WaitGroup
		for k, s := range copies {
			wait.Go(func() {
				ok := false
				if ok, errs[k] = atLeast(s, n); errs[k] == nil && !ok {
					errs[k] = fmt.Errorf("a copy lacks revision %d", n)
				}
				took[k] = time.Since(acknowledged)
			})
		}
		wait.Wait()
		for _, err := range errs {
			if err != nil {
				return nil, err
			}
		}
		all = append(all, took...)
		time.Sleep(time.Until(start.Add(w.every)))
	}
	slices.Sort(all)
	return all, nil
}

// revision is the one that a server has.
func revision(s *server) (int, error) {
	resp, err := http.Get(s.url + "/readyz")
	if err != nil {
		return 0, err
	}
	defer resp.Body.Close()
	return strconv.Atoi(resp.Header.Get("Fachwerk-Revision"))
}

// atLeast waits until a server has a revision, for as long as it lets wait.
func atLeast(s *server, n int) (bool, error) {
	r, err := http.NewRequest(http.MethodGet, s.url+"/readyz", nil)
	if err != nil {
		return false, err
	}
	r.Header.Set("Fachwerk-At-Least", strconv.Itoa(n))
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		return false, err
	}
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	if err == nil && resp.StatusCode != http.StatusOK && !strings.Contains(string(text), "behind") {
		err = fmt.Errorf("it answers %d %s", resp.StatusCode, text)
	}
	return resp.StatusCode == http.StatusOK, err
}
