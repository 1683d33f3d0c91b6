package rules

import (
	"context"
	"database/sql"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	_ "modernc.org/sqlite"

	"fachwerk/internal/core/index"
	"fachwerk/internal/core/model"
)

// The rules as a hand-written recursive query over tables, to compare speeds with. The tables favour it: what
// implies what, what exclusions keep out and whom rules find is worked out beforehand.
const sqlSchema = `
CREATE TABLE users (id TEXT PRIMARY KEY, state TEXT, from_at TEXT, until_at TEXT);
CREATE TABLE user_licences (user TEXT, licence TEXT, PRIMARY KEY (user, licence)) WITHOUT ROWID;
CREATE TABLE group_users (user TEXT, grp TEXT, PRIMARY KEY (user, grp)) WITHOUT ROWID;
CREATE TABLE group_groups (child TEXT, parent TEXT, PRIMARY KEY (child, parent)) WITHOUT ROWID;
CREATE TABLE assignments (id TEXT PRIMARY KEY, user TEXT, grp TEXT, role TEXT, "set" TEXT, area TEXT, reach TEXT, read_only INT, from_at TEXT, until_at TEXT);
CREATE INDEX assignments_user ON assignments (user);
CREATE INDEX assignments_grp ON assignments (grp);
CREATE TABLE roles (id TEXT PRIMARY KEY, retired INT);
CREATE TABLE role_inherits (role TEXT, parent TEXT, PRIMARY KEY (role, parent)) WITHOUT ROWID;
CREATE INDEX role_inherits_parent ON role_inherits (parent);
CREATE TABLE role_sets (role TEXT, "set" TEXT, PRIMARY KEY (role, "set")) WITHOUT ROWID;
CREATE TABLE role_permissions (role TEXT, permission TEXT, PRIMARY KEY (role, permission)) WITHOUT ROWID;
CREATE TABLE role_barred (role TEXT, permission TEXT, PRIMARY KEY (role, permission)) WITHOUT ROWID;
CREATE TABLE set_permissions ("set" TEXT, permission TEXT, PRIMARY KEY ("set", permission)) WITHOUT ROWID;
CREATE TABLE permissions (key TEXT PRIMARY KEY, readable INT, restricted INT) WITHOUT ROWID;
CREATE TABLE permission_needs (permission TEXT, licence TEXT, PRIMARY KEY (permission, licence)) WITHOUT ROWID;`

const sqlEffective = `
WITH RECURSIVE
me AS (SELECT id, state FROM users WHERE id = :user AND state = 'active' AND (from_at = '' OR from_at <= :at) AND (until_at = '' OR :at < until_at)),
ingroup(grp) AS (
	SELECT grp FROM group_users JOIN me ON user = me.id
	UNION SELECT 'everyone' FROM me
	UNION SELECT 'public' FROM me
	UNION SELECT parent FROM group_groups JOIN ingroup ON child = ingroup.grp),
given AS (
	SELECT role, "set", area, reach, read_only FROM assignments JOIN me ON user = me.id
	WHERE (from_at = '' OR from_at <= :at) AND (until_at = '' OR :at < until_at)
	UNION ALL
	SELECT role, "set", area, reach, read_only FROM ingroup CROSS JOIN assignments ON assignments.grp = ingroup.grp
	WHERE (from_at = '' OR from_at <= :at) AND (until_at = '' OR :at < until_at)),
needed(role) AS (
	SELECT role FROM given WHERE role <> ''
	UNION SELECT parent FROM role_inherits JOIN needed ON role_inherits.role = needed.role),
content(role, permission) AS (
	SELECT r.role, r.permission FROM needed JOIN role_permissions r ON r.role = needed.role JOIN roles ON roles.id = r.role
	WHERE NOT retired AND NOT EXISTS (SELECT 1 FROM role_barred b WHERE b.role = r.role AND b.permission = r.permission)
	UNION
	SELECT s.role, p.permission FROM needed JOIN role_sets s ON s.role = needed.role JOIN set_permissions p ON p."set" = s."set" JOIN roles ON roles.id = s.role
	WHERE NOT retired AND NOT EXISTS (SELECT 1 FROM role_barred b WHERE b.role = s.role AND b.permission = p.permission)
	UNION
	SELECT i.role, content.permission FROM content JOIN role_inherits i ON i.parent = content.role JOIN needed ON needed.role = i.role JOIN roles ON roles.id = i.role
	WHERE NOT retired AND NOT EXISTS (SELECT 1 FROM role_barred b WHERE b.role = i.role AND b.permission = content.permission)),
carried(permission, area, reach, read_only) AS (
	SELECT content.permission, area, reach, read_only FROM given JOIN content ON content.role = given.role
	UNION
	SELECT set_permissions.permission, area, reach, read_only FROM given JOIN set_permissions ON set_permissions."set" = given."set")
SELECT count(*) FROM (
	SELECT DISTINCT permission, area, reach FROM carried JOIN permissions ON permissions.key = carried.permission
	WHERE (NOT read_only OR readable) AND (NOT restricted OR area = '' AND reach = 'area')
	AND NOT EXISTS (SELECT 1 FROM permission_needs n WHERE n.permission = carried.permission
		AND n.licence NOT IN (SELECT licence FROM user_licences WHERE user = :user)))`

// sqlTables fills tables with a design, in which nobody has licences by way of others.
func sqlTables(t testing.TB, d *model.Design, x *index.Index) *sql.DB {
	t.Helper()
	db, err := sql.Open(
		"sqlite",
		filepath.Join(t.TempDir(), "x.db")+"?_pragma=synchronous(OFF)&_pragma=cache_size(-400000)",
	)
	if err != nil {
		t.Fatal(err)
	}
	db.SetMaxOpenConns(1)
	t.Cleanup(func() { _ = db.Close() })
	if _, err := db.Exec(sqlSchema); err != nil {
		t.Fatal(err)
	}
	f := &filler{TB: t, db: db}
	at := func(t time.Time) string {
		if t.IsZero() {
			return ""
		}
		return t.Format(time.RFC3339Nano)
	}
	yes := func(b bool) int {
		if b {
			return 1
		}
		return 0
	}
	covers := map[string][]string{}
	for _, l := range d.Licences {
		covers[l.ID] = coveredBy(d, l.ID)
	}
	for _, u := range d.Users {
		f.row("users", u.ID, string(u.State), at(u.From), at(u.Until))
		all := []string{}
		for _, l := range u.Licences {
			all = append(all, covers[l]...)
		}
		slices.Sort(all)
		for _, l := range slices.Compact(all) {
			f.row("user_licences", u.ID, l)
		}
		for _, g := range x.GroupsOf(u.ID) {
			if g.Direct && g.Group != model.Everyone && g.Group != model.Public {
				f.row("group_users", u.ID, g.Group)
			}
		}
	}
	for _, g := range d.Groups {
		for _, c := range g.Groups {
			f.row("group_groups", c, g.ID)
		}
	}
	for _, a := range d.Assignments {
		f.row(
			"assignments",
			a.ID,
			a.Subject.User,
			a.Subject.Group,
			a.Role,
			a.Set,
			a.Area,
			string(a.Reach),
			yes(a.Mode == model.ReadOnly),
			at(a.From),
			at(a.Until),
		)
	}
	for _, r := range d.Roles {
		f.row("roles", r.ID, yes(r.State == model.Retired))
		f.rows("role_inherits", r.ID, r.Inherits)
		f.rows("role_sets", r.ID, r.Sets)
		f.rows("role_permissions", r.ID, x.Closure(r.Permissions))
		f.rows("role_barred", r.ID, x.Standing(r.Excludes))
	}
	for _, s := range d.Sets {
		f.rows("set_permissions", s.ID, x.Content(model.KindSet, s.ID))
	}
	for _, s := range d.Systems {
		for _, p := range s.Permissions {
			f.row("permissions", p.Key, yes(p.Class == model.Read), yes(p.Span == model.SpanOrganisation))
			var needs []string
			for _, key := range x.Closure([]string{p.Key}) {
				q, _ := d.Permission(key)
				of, _, _ := strings.Cut(key, ":")
				system, _ := d.Systems.Find(of)
				if l := q.Licence; l != "" {
					needs = append(needs, l)
				} else if system.Licence != "" {
					needs = append(needs, system.Licence)
				}
			}
			slices.Sort(needs)
			f.rows("permission_needs", p.Key, slices.Compact(needs))
		}
	}
	f.flush()
	if _, err := db.Exec("ANALYZE"); err != nil {
		t.Fatal(err)
	}
	return db
}

func coveredBy(d *model.Design, licence string) []string {
	all := []string{licence}
	for i := 0; i < len(all); i++ {
		l, _ := d.Licences.Find(all[i])
		for _, c := range l.Covers {
			if !slices.Contains(all, c) {
				all = append(all, c)
			}
		}
	}
	return all
}

// filler writes rows, many at once.
type filler struct {
	testing.TB
	db    *sql.DB
	table string
	width int
	args  []any
}

func (f *filler) rows(table, of string, list []string) {
	list = slices.Clone(list)
	slices.Sort(list)
	for _, v := range slices.Compact(list) {
		f.row(table, of, v)
	}
}

func (f *filler) row(table string, values ...any) {
	if f.table != table || len(f.args) >= 300 {
		f.flush()
		f.table, f.width = table, len(values)
	}
	f.args = append(f.args, values...)
}

func (f *filler) flush() {
	if len(f.args) == 0 {
		return
	}
	one := "(?" + strings.Repeat(",?", f.width-1) + ")"
	query := "INSERT INTO " + f.table + " VALUES " + one + strings.Repeat(","+one, len(f.args)/f.width-1)
	if _, err := f.db.ExecContext(context.Background(), query, f.args...); err != nil {
		f.Fatal(err)
	}
	f.args = f.args[:0]
}

func sqlCount(t testing.TB, db *sql.DB, user string, at time.Time) (n int) {
	t.Helper()
	if err := db.QueryRow(sqlEffective, sql.Named("user", user),
		sql.Named("at", at.Format(time.RFC3339Nano))).Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

// TestTheQueryIsRight makes sure that what the index is compared with computes the same.
func TestTheQueryIsRight(t *testing.T) {
	held := 0
	for seed := range uint64(30) {
		d := newRandom(seed).design(t)
		x := index.Compile(d)
		db := sqlTables(t, d, x)
		for _, u := range d.Users {
			want := len(x.Effective(u.ID, now))
			held += want
			if got := sqlCount(t, db, u.ID, now); got != want {
				t.Errorf("seed %d: the query gives %s %d permissions, the index %d", seed, u.ID, got, want)
			}
		}
	}
	if designs >= 150 && held < 200 {
		t.Errorf("%d permissions are too few to prove anything", held)
	}
}
