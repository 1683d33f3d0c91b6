package main

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"fachwerk/internal/core/model"
	"fachwerk/internal/desk"
	"fachwerk/internal/desk/rooms"
	"fachwerk/internal/exchange/modelfile"
)

// exitSomething is the exit code of a plan by which something would change.
const exitSomething = 3

// somethingChanges is no failure: a plan by which something would change.
type somethingChanges struct{ error }

// tokenVariable names the environment's variable, or file, with the token for a running server.
const tokenVariable = "FACHWERK_TOKEN"

// planner plans and applies: on a database, or by asking a running server.
type planner interface {
	plan(design *model.Design) (*desk.Plan, error)
	apply(design *model.Design, hash, why string) (*desk.Applied, error)
}

// whereFlags are those that say where the design is that is compared.
func whereFlags(c *cobra.Command) (with func(do func(planner) error) error) {
	db := dbFlag(c)
	address := c.Flags().String("url", "", "the address of a running server; the token is in "+tokenVariable+
		", or in the file that "+tokenVariable+"_FILE names")
	return func(do func(planner) error) error {
		switch {
		case (*db == "") == (*address == ""):
			return usageError{fmt.Errorf("%s needs --db or --url", c.Name())}
		case *db != "":
			return withDesk(*db, true, func(k *rooms.Desk) error { return do(filePlanner{k}) })
		}
		token := os.Getenv(tokenVariable)
		if name := os.Getenv(tokenVariable + "_FILE"); token == "" && name != "" {
			data, err := os.ReadFile(name)
			if err != nil {
				return err
			}
			token = strings.TrimSpace(string(data))
		}
		at, err := url.Parse(*address)
		switch {
		case token == "":
			return usageError{fmt.Errorf("--url needs a token, made with --for api, in %s", tokenVariable)}
		case err != nil || at.Scheme != "http" && at.Scheme != "https" || at.Host == "":
			return usageError{fmt.Errorf("--url %q is no address: expected one like https://fachwerk.example", *address)}
		}
		return do(serverPlanner{at, token})
	}
}

// filePlanner plans on a database.
type filePlanner struct{ k *rooms.Desk }

func (p filePlanner) plan(design *model.Design) (*desk.Plan, error) {
	return p.k.PlanDesign(nil, design)
}

func (p filePlanner) apply(design *model.Design, hash, why string) (*desk.Applied, error) {
	return p.k.ApplyPlan(nil, design, hash, why)
}

// serverPlanner has a running server plan.
type serverPlanner struct {
	at    *url.URL
	token string
}

// planWait is how long a server may take.
const planWait = 10 * time.Minute

func (p serverPlanner) ask(path string, query url.Values, design *model.Design, answer any) error {
	var body bytes.Buffer
	if err := modelfile.Write(&body, design, nil); err != nil {
		return err
	}
	ctx, stop := context.WithTimeout(context.Background(), planWait)
	defer stop()
	at := p.at.JoinPath(path)
	at.RawQuery = query.Encode()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, at.String(), &body)
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+p.token)
	req.Header.Set("Content-Type", "application/json")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if resp.StatusCode == http.StatusOK {
		return json.NewDecoder(resp.Body).Decode(answer)
	}
	var problem struct {
		Detail string `json:"detail"`
		Errors []struct {
			Message  string `json:"message"`
			Location string `json:"location"`
		} `json:"errors"`
	}
	data, _ := io.ReadAll(io.LimitReader(resp.Body, 1<<20))
	_ = json.Unmarshal(data, &problem) // of whatever else answers there, only the status is told
	e := &desk.Error{Message: "the server answers " + resp.Status}
	if problem.Detail != "" {
		e.Message += ": " + problem.Detail
	}
	for _, x := range problem.Errors {
		e.Problems = append(e.Problems, strings.TrimPrefix(x.Location+": "+x.Message, ": "))
	}
	return e
}

func (p serverPlanner) plan(design *model.Design) (*desk.Plan, error) {
	var out desk.Plan
	return &out, p.ask("api/plan", nil, design, &out)
}

func (p serverPlanner) apply(design *model.Design, hash, why string) (*desk.Applied, error) {
	var out desk.Applied
	return &out, p.ask("api/plan/apply", url.Values{"hash": {hash}, "reason": {why}}, design, &out)
}

func planCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "plan (--db FILE | --url URL) MODEL...",
		Short: "Tell what would change if the design were as model files say",
		Long: "Compares the design that model files, or folders of them, hold together with the one that is there, and " +
			"tells the differences and what they come to: who gains and loses what, conflicts, guarantees, licences. " +
			"It ends with 0 if nothing would change, with 3 if something would, and with 1 if that would be refused. The " +
			"hash that it prints is what fachwerk apply asks for.",
		Args: usageArgs(cobra.MinimumNArgs(1)),
	}
	with := whereFlags(c)
	form := c.Flags().String("form", "text", "how it is told: text, json or markdown")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		tell := map[string]func(io.Writer, *desk.Plan) error{
			"text": planText, "json": planJSON, "markdown": planMarkdown,
		}[*form]
		if tell == nil {
			return usageError{fmt.Errorf("--form %q is none of text, json and markdown", *form)}
		}
		design, err := readModel(args...)
		if err != nil {
			return err
		}
		return with(func(p planner) error {
			plan, err := p.plan(design)
			if err != nil {
				return err
			}
			if err := tell(cmd.OutOrStdout(), plan); err != nil {
				return err
			}
			switch {
			case len(plan.Refused) > 0:
				return alreadyReported{errors.New("the plan would be refused")}
			case plan.Hash != "":
				return somethingChanges{errors.New("something would change")}
			}
			return nil
		})
	}
	return c
}

func applyCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "apply (--db FILE | --url URL) MODEL... --plan HASH",
		Short: "Make the design what model files say, as it was planned",
		Long: "Makes the design that model files, or folders of them, hold together the present one, as one revision, if " +
			"nothing has moved since fachwerk plan printed the hash.",
		Args: usageArgs(cobra.MinimumNArgs(1)),
	}
	with := whereFlags(c)
	hash := c.Flags().String("plan", "", "the hash of the plan that was looked at")
	why := c.Flags().String("reason", "", "why, for the history; by default, which files were applied")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := require(cmd, "plan"); err != nil {
			return err
		}
		design, err := readModel(args...)
		if err != nil {
			return err
		}
		return with(func(p planner) error {
			applied, err := p.apply(design, *hash, cmp.Or(strings.TrimSpace(*why), "applied from "+strings.Join(args, ", ")))
			if err != nil {
				return err
			}
			_, err = fmt.Fprintf(cmd.OutOrStdout(), "the design is revision %d: %d gain, %d lose\n",
				applied.Revision, applied.Gaining, applied.Losing)
			return err
		})
	}
	return c
}

func planJSON(to io.Writer, p *desk.Plan) error {
	out := json.NewEncoder(to)
	out.SetEscapeHTML(false)
	out.SetIndent("", "  ")
	return out.Encode(p)
}

// part is one section of a plan: what it is about, and its lines.
type part struct {
	title string
	lines []string
}

// partsOf puts a plan into words.
func partsOf(p *desk.Plan) (list []part) {
	add := func(title string, lines []string) {
		if len(lines) > 0 {
			list = append(list, part{title, lines})
		}
	}
	said := p.Said
	if p.More > 0 {
		said = append(said[:len(said):len(said)], fmt.Sprintf("and %d more", p.More))
	}
	add(fmt.Sprintf("Differences: %d new, %d changed, %d deleted", p.Created, p.Changed, p.Deleted), said)
	i := p.Impact
	var lines []string
	for _, x := range i.People {
		for _, side := range []struct {
			does string
			held []desk.Holding
		}{{"gains", x.Gains}, {"loses", x.Losses}} {
			for _, h := range side.held {
				lines = append(lines, fmt.Sprintf("%s %s %s, %s", x.User.Name, side.does, h.Permission, placeOf(h)))
			}
		}
	}
	if told := len(i.People); i.Gaining+i.Losing > 0 {
		if told == desk.ImpactShown {
			lines = append(lines, fmt.Sprintf("only the %d who gain or lose most are told", told))
		}
		add(fmt.Sprintf("Who gains and loses: %d gain, %d lose", i.Gaining, i.Losing), lines)
	}
	lines = nil
	for _, x := range i.Later {
		for _, h := range x.Gains {
			lines = append(lines, fmt.Sprintf("%s comes to hold %s, %s", x.User.Name, h.Permission, placeOf(h)))
		}
	}
	add("Later", lines)
	lines = nil
	for _, x := range i.Conflicts {
		does := "breaks"
		switch {
		case x.Cleared:
			does = "breaks no longer"
		case x.Excepted:
			does = "breaks, by an exception,"
		}
		lines = append(lines, fmt.Sprintf("%s %s “%s”: %s", x.User.Name, does, x.Conflict.Name, strings.Join(x.Items, ", ")))
	}
	add("Conflicts", lines)
	lines = nil
	for _, x := range i.Promises {
		lines = append(lines, "“"+x.Guarantee.Name+"” is not kept: "+x.Says)
	}
	add("Guarantees", lines)
	lines = nil
	for _, x := range i.Licences {
		lines = append(lines, fmt.Sprintf("%s: %d used, %d people lack it", x.Licence.Name, x.Used, x.Lacking))
	}
	add("Licences", lines)
	add("Open reviews that ask about it", i.Reviews)
	add("Refused", p.Refused)
	return list
}

func placeOf(h desk.Holding) string {
	where := "at " + h.Area.Name
	if h.Whole {
		where = "everywhere"
	}
	switch model.Reach(h.Reach) {
	case model.ReachOwn:
		where += ", own records"
	case model.ReachLine:
		where += ", own line"
	}
	return where
}

func planText(to io.Writer, p *desk.Plan) error {
	var b strings.Builder
	if p.Hash == "" {
		fmt.Fprintf(&b, "Nothing would change: the design is revision %d, as these files say.\n", p.Revision)
	}
	for _, x := range partsOf(p) {
		b.WriteString(x.title + "\n")
		for _, line := range x.lines {
			b.WriteString("  " + oneLine(line) + "\n")
		}
	}
	if p.Hash != "" && len(p.Refused) == 0 {
		fmt.Fprintf(&b, "Compared with revision %d; to apply just this: --plan %s\n", p.Revision, p.Hash)
	}
	_, err := io.WriteString(to, b.String())
	return err
}

func planMarkdown(to io.Writer, p *desk.Plan) error {
	var b strings.Builder
	b.WriteString("# What would change\n\n")
	if p.Hash == "" {
		fmt.Fprintf(&b, "Nothing: the design is revision %d, as these files say.\n", p.Revision)
	}
	escaped := strings.NewReplacer(`\`, `\\`, "`", "\\`", "*", `\*`, "_", `\_`, "<", "&lt;", "[", `\[`, "|", `\|`, "#",
		`\#`)
	for _, x := range partsOf(p) {
		b.WriteString("## " + x.title + "\n\n")
		for _, line := range x.lines {
			b.WriteString("- " + escaped.Replace(oneLine(line)) + "\n")
		}
		b.WriteString("\n")
	}
	if p.Hash != "" && len(p.Refused) == 0 {
		fmt.Fprintf(&b, "Compared with revision %d. Hash of this plan: `%s`\n", p.Revision, p.Hash)
	}
	_, err := io.WriteString(to, b.String())
	return err
}
