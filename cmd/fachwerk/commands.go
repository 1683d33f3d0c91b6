package main

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"fachwerk/internal/desk"
	"fachwerk/internal/desk/account"
	"fachwerk/internal/desk/rooms"

	"github.com/spf13/cobra"

	"fachwerk/internal/core/ahead"
	"fachwerk/internal/core/guarantee"
	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
	"fachwerk/internal/core/use"
	"fachwerk/internal/door/inner"
	"fachwerk/internal/door/server"
	"fachwerk/internal/exchange/effective"
	"fachwerk/internal/exchange/modelfile"
	"fachwerk/internal/generate"
	"fachwerk/internal/store"
	"fachwerk/web"
)

// openDesk opens a database file with a desk on it; the caller closes the store.
func openDesk(file string, mustExist bool) (*rooms.Desk, *store.Store, error) {
	s, err := store.Open(file, mustExist)
	if err != nil {
		return nil, nil, err
	}
	d, err := rooms.Open(s, time.Now)
	if err != nil {
		return nil, nil, errors.Join(fmt.Errorf("the database %s: %w", file, store.Explained(err)), s.Close())
	}
	return d, s, nil
}

// withDesk runs do on a database file.
func withDesk(file string, mustExist bool, do func(d *rooms.Desk) error) error {
	d, s, err := openDesk(file, mustExist)
	if err != nil {
		return err
	}
	makeRoom(3, 2)
	return errors.Join(do(d), s.Close())
}

// readModel reads a model file, or several and folders of them as one design, and writes their problems to standard
// error.
func readModel(names ...string) (*model.Design, error) {
	files, err := modelFiles(names)
	if err != nil {
		return nil, err
	}
	var d *model.Design
	var problems []model.Problem
	if len(files) == 1 && files[0] == names[0] {
		d, problems, err = readOne(files[0])
	} else {
		d, problems, err = readParts(files)
	}
	if err != nil {
		return nil, err
	}
	for _, p := range problems {
		fmt.Fprintln(os.Stderr, oneLine(p.String()))
	}
	if d == nil || !usesCanBe(d, time.Now()) {
		return nil, alreadyReported{errors.New("the model file has errors")}
	}
	return d, nil
}

func readOne(file string) (*model.Design, []model.Problem, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	return modelfile.Read(f)
}

func readParts(files []string) (*model.Design, []model.Problem, error) {
	parts := make([]modelfile.Part, len(files))
	for i, name := range files {
		f, err := os.Open(name)
		if err != nil {
			return nil, nil, err
		}
		defer f.Close()
		parts[i] = modelfile.Part{Name: name, In: f}
	}
	return modelfile.ReadParts(parts)
}

// modelFiles gives the files that some names stand for: a folder for all files below it that end in .json, but for
// hidden ones, in the order of their names.
func modelFiles(names []string) (files []string, err error) {
	for _, name := range names {
		info, err := os.Stat(name)
		if err != nil {
			return nil, err
		}
		if !info.IsDir() {
			files = append(files, name)
			continue
		}
		n := len(files)
		err = filepath.WalkDir(name, func(path string, e fs.DirEntry, err error) error {
			switch hidden := strings.HasPrefix(e.Name(), ".") && path != name; {
			case err != nil:
				return err
			case hidden && e.IsDir():
				return filepath.SkipDir
			case !hidden && !e.IsDir() && strings.HasSuffix(path, ".json"):
				files = append(files, path)
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
		if len(files) == n {
			return nil, fmt.Errorf("%s: there is no model file in this folder: expected files that end in .json", name)
		}
	}
	return files, nil
}

// tellBroken reports the guarantees of a design that are broken, now or by what is written to come, and tells whether a
// strict one is.
func tellBroken(d *model.Design, now time.Time) (strict bool) {
	if len(d.Guarantees) == 0 {
		return false
	}
	d, _ = use.Taken(d)
	v := ahead.Of(index.Compile(model.Build(d)))
	for i, g := range d.Guarantees {
		if breaches := guarantee.Of(v, g, now); len(breaches) > 0 {
			warning := "warning: "
			if !g.Lax {
				strict, warning = true, ""
			}
			fmt.Fprintln(os.Stderr, oneLine(fmt.Sprintf("%sguarantees[%d]: %s", warning, i, guarantee.Broken(v, g, breaches))))
		}
	}
	return strict
}

// usesCanBe tells whether all last uses of a model file are such, and reports those that lie too far ahead.
func usesCanBe(d *model.Design, now time.Time) bool {
	good := true
	for _, u := range d.Users {
		for _, system := range slices.Sorted(maps.Keys(u.LastUse)) {
			if use.TooFar(u.LastUse[system], now) {
				good = false
				fmt.Fprintf(os.Stderr, "users: %s: lastUse.%s: lies more than a day ahead, so it is no use yet\n", u.ID, system)
			}
		}
	}
	return good
}

func oneLine(s string) string { return strings.Join(strings.Fields(s), " ") }

func dbFlag(c *cobra.Command) *string {
	return c.Flags().String("db", "", "the database file")
}

func checkCommand() *cobra.Command {
	return &cobra.Command{
		Use: "check MODEL...", Short: "Validate model files without a database", Args: usageArgs(cobra.MinimumNArgs(1)),
		RunE: func(_ *cobra.Command, args []string) error {
			d, err := readModel(args...)
			if err == nil && tellBroken(d, time.Now()) {
				err = alreadyReported{errors.New("a strict guarantee is broken")}
			}
			return err
		},
	}
}

func verifyCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "verify --db FILE",
		Short: "Prove that the record and the security log are as they were written",
		Long: "Proves the chain of revisions and that of the security log, and prints their heads. Keep a head elsewhere: " +
			"--head " +
			"tells whether the chains still contain it.",
		Args: usageArgs(cobra.NoArgs),
	}
	db := dbFlag(c)
	head := c.Flags().String("head", "", "a hash that was printed before, and must be in one of the chains")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if err := require(cmd, "db"); err != nil {
			return err
		}
		s, err := store.Open(*db, true)
		if err != nil {
			return err
		}
		defer s.Close()
		p, err := s.Verify(*head)
		if err != nil {
			return err
		}
		if err := tellProof(cmd.OutOrStdout(), p); err != nil {
			return err
		}
		if *head != "" && !p.Contains {
			return fmt.Errorf("neither chain contains %s: what it was the head of has been replaced", *head)
		}
		return nil
	}
	return c
}

func mendCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "mend --db FILE --as recorded|found",
		Short: "Decide what is so where the design was altered beside the record",
		Long: "Where fachwerk verify says that the design is not the one that the record leads to: --as recorded puts back " +
			"what the record says, --as found records what was found as a change of the operator's. Where passwords, second " +
			"factors, tokens, settings or decisions were altered: --as recorded takes away what was put in, but for decisions; " +
			"--as found lets it stand. No server may serve the file.",
		Args: usageArgs(cobra.NoArgs),
	}
	db := dbFlag(c)
	as := c.Flags().String("as", "", "recorded or found")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if err := require(cmd, "db", "as"); err != nil {
			return err
		}
		if *as != "recorded" && *as != "found" {
			return usageError{errors.New("--as is recorded or found")}
		}
		lease, err := store.TakeLease(*db)
		if err != nil {
			return err
		}
		altered, err := mend(*db, *as == "found")
		for _, a := range altered {
			if _, err := fmt.Fprintf(cmd.OutOrStdout(), "%s: %s\n", *as, a); err != nil {
				return err
			}
		}
		return errors.Join(err, lease.Release())
	}
	return c
}

// mend puts back what the record says, and then, if what was found is to stand, records that as a change.
func mend(file string, found bool) (said []string, err error) {
	s, err := store.Open(file, true)
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, s.Close()) }()
	things, err := s.Reseal(found)
	for _, u := range things {
		said = append(said, u.String())
	}
	if err != nil {
		return said, err
	}
	altered, err := s.PutBack()
	for _, a := range altered {
		said = append(said, a.String())
	}
	if err != nil || !found || len(altered) == 0 {
		return said, err
	}
	d, err := rooms.Open(s, time.Now)
	if err != nil {
		return said, err
	}
	return said, d.TakeFound(altered)
}

// tellProof prints the heads of the chains.
func tellProof(to io.Writer, p store.Proof) error {
	_, err := fmt.Fprintf(to, "revisions %d %s\nsecurity-log %d %s\n",
		p.Revisions, cmp.Or(p.RevisionHead, "-"), p.Events, cmp.Or(p.SecurityHead, "-"))
	return err
}

func generateCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "generate --users N",
		Short: "Write a model file of a made-up organisation of any size, to measure on",
		Args:  usageArgs(cobra.NoArgs),
	}
	users := c.Flags().Int("users", 0, "how many people")
	seed := c.Flags().Uint64("seed", 1, "the same seed gives the same file")
	planted := c.Flags().Int("planted", 0, "people hold by hand what so many roles would give them, to be found again")
	noise := c.Flags().Float64("noise", 0, "with --planted: how many in a hundred permissions of each person are missing, "+
		"and as many others added")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if err := require(cmd, "users"); err != nil {
			return err
		}
		if *users < 1 || *users > 10_000_000 {
			return usageError{fmt.Errorf("--users: expected a number from 1 to 10000000, not %d", *users)}
		}
		if *planted < 0 || *planted > 2000 {
			return usageError{fmt.Errorf("--planted: expected a number from 0 to 2000, not %d", *planted)}
		}
		if *noise < 0 || *noise > 50 {
			return usageError{fmt.Errorf("--noise: expected a number from 0 to 50, not %g", *noise)}
		}
		return generate.Write(cmd.OutOrStdout(),
			generate.Options{Users: *users, Seed: *seed, Planted: *planted, Noise: *noise / 100})
	}
	return c
}

func loadCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "load --db FILE MODEL.json",
		Short: "Read a model file into an empty database",
		Args:  usageArgs(cobra.ExactArgs(1)),
	}
	db := dbFlag(c)
	replace := c.Flags().
		Bool("replace", false, "put the file's design in place of the one that is there, as one revision")
	force := c.Flags().Bool("force", false, "with --replace: also if nobody is in the file, or a guarantee is broken")
	c.RunE = func(cmd *cobra.Command, args []string) error {
		if err := require(cmd, "db"); err != nil {
			return err
		}
		d, err := readModel(args[0]) // first: a broken file must not leave a database behind
		if err != nil {
			return err
		}
		return withDesk(*db, false, func(k *rooms.Desk) error {
			debug.FreeOSMemory() // what reading the file took
			makeRoom(9, 4)       // for its index and the record of it
			if here := len(k.Design().Users); *replace && here > 0 && len(d.Users) == 0 && !*force {
				return fmt.Errorf("nobody is in %s, and %d people are in the database: "+
					"say --force if all of them are to go", args[0], here)
			}
			how := desk.Begin
			switch {
			case *replace && *force:
				how = desk.Force
			case *replace:
				how = desk.Replace
			}
			if err := k.Load(d, how, "Loaded from a model file"); err != nil {
				return err
			}
			if err := k.EndOpenHouse(); err != nil {
				return err
			}
			tellBroken(k.Design(), time.Now())
			if err := k.KeepSnapshot(cmd.Context()); err != nil { // which only makes the next start quick
				fmt.Fprintln(os.Stderr, oneLine("no snapshot of the design is kept beside the database: "+err.Error()))
			}
			return nil
		})
	}
	return c
}

func exportCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "export --db FILE",
		Short: "Write the design to standard output as a model file",
		Args:  usageArgs(cobra.NoArgs),
	}
	db := dbFlag(c)
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if err := require(cmd, "db"); err != nil {
			return err
		}
		return withDesk(*db, true, func(k *rooms.Desk) error {
			if k.Empty() {
				return fmt.Errorf("the database %s holds no design yet: load one first", *db)
			}
			return modelfile.Write(os.Stdout, k.Design(), k.Uses.Systems)
		})
	}
	return c
}

func effectiveCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "effective --db FILE",
		Short: "Write to standard output what everybody effectively holds",
		Args:  usageArgs(cobra.NoArgs),
	}
	db := dbFlag(c)
	form := c.Flags().String("form", "csv", "csv or jsonl (JSON Lines)")
	at := c.Flags().String("at", "", "the instant that is asked about (RFC 3339), or a day; now if absent")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if err := require(cmd, "db"); err != nil {
			return err
		}
		if !slices.Contains(effective.Forms, *form) {
			return usageError{fmt.Errorf("--form: expected %s, not %q", strings.Join(effective.Forms, " or "), *form)}
		}
		return withDesk(*db, true, func(k *rooms.Desk) error {
			t, err := k.Instant(*at)
			if err != nil {
				return usageError{fmt.Errorf("--at: %w", err)}
			}
			return k.EffectiveAt(t, *form, cmd.OutOrStdout())
		})
	}
	return c
}

func tokenCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "token --db FILE --name NAME --for decisions|scim|api|copies",
		Short: "Make a bearer token for a program and print it, once",
		Args:  usageArgs(cobra.NoArgs),
	}
	db := dbFlag(c)
	name := c.Flags().
		String("name", "", "what the token is called; for api, the user it acts as unless --user names one")
	purpose := c.Flags().String("for", "", "what it is for: decisions, scim, api, or copies (of this server)")
	user := c.Flags().String("user", "", "the user that a token for api acts as")
	signIns := c.Flags().Bool("sign-ins", false, "let a directory change how people with rights in Fachwerk sign in")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if err := require(cmd, "db", "name", "for"); err != nil {
			return err
		}
		if !slices.Contains(account.Purposes, *purpose) {
			return usageError{fmt.Errorf("--for: expected %s, not %q", strings.Join(account.Purposes, ", "), *purpose)}
		}
		if *user == "" {
			*user = *name
		}
		return withDesk(*db, true, func(k *rooms.Desk) error {
			text, err := k.MakeToken(account.NewToken{Name: *name, Purpose: *purpose, User: *user, SignIns: *signIns})
			if err == nil {
				fmt.Println(text)
			}
			return err
		})
	}
	return c
}

func ownerCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "owner --db FILE --user ID",
		Short: "Make a user an owner, and print a link to set a password",
		Args:  usageArgs(cobra.NoArgs),
	}
	db := dbFlag(c)
	user := c.Flags().String("user", "", "the user's id or user name")
	url := c.Flags().String("url", "http://127.0.0.1:8080", "where the application is reached, for the link")
	c.RunE = func(cmd *cobra.Command, _ []string) error {
		if err := require(cmd, "db", "user"); err != nil {
			return err
		}
		return withDesk(*db, true, func(k *rooms.Desk) error {
			u, err := k.MakeOwner(*user)
			if err != nil {
				return err
			}
			link, err := k.PasswordLink(u.ID)
			if err != nil {
				return err
			}
			if !k.Live(u.ID) {
				fmt.Fprintf(
					os.Stderr,
					"warning: %s is not live (%s), so they cannot sign in yet\n",
					u.DisplayName,
					u.State,
				)
			}
			fmt.Printf("%s/welcome/%s\n", strings.TrimRight(*url, "/"), link)
			return nil
		})
	}
	return c
}

// openapiCommand is for the build: the front end's types are generated from what it prints.
func openapiCommand() *cobra.Command {
	return &cobra.Command{
		Use: "openapi", Short: "Write the description of the application's API to standard output", Hidden: true,
		Args: usageArgs(cobra.NoArgs),
		RunE: func(*cobra.Command, []string) error {
			folder, err := os.MkdirTemp("", "fachwerk")
			if err != nil {
				return err
			}
			defer os.RemoveAll(folder)
			d, s, err := openDesk(folder+"/empty.db", false)
			if err != nil {
				return err
			}
			text, err := server.New(d, s, web.Files(), inner.Outside{}).API.OpenAPI()
			if err == nil {
				_, err = os.Stdout.Write(append(text, '\n'))
			}
			return errors.Join(err, s.Close())
		},
	}
}
