package model

import (
	"reflect"
	"testing"
)

// Every field of every kind comes back as it was packed, whether it is filled or not: so none is forgotten that is
// added.
func TestEveryFieldIsPacked(t *testing.T) {
	d := &Design{Organisation: &Organisation{}, built: true}
	fill(reflect.ValueOf(d.Organisation).Elem())
	for _, kind := range Kinds[1:] {
		for _, full := range []bool{false, true} {
			o, err := New(kind)
			if err != nil {
				t.Fatal(err)
			}
			v := reflect.ValueOf(o).Elem()
			if full {
				fill(v)
			}
			if u, is := o.(*User); is {
				u.LastUse = nil // which is no part of a design
			}
			if full {
				v.FieldByName("ID").SetString("full")
			} else {
				v.FieldByName("ID").SetString("bare")
			}
			d.Add(o)
		}
	}
	// Names of what there is, which are packed as numbers.
	d.Users[1].Manager, d.Groups[1].Users, d.Groups[1].Groups = "bare", []string{"bare", "full", "gone"}, []string{}
	d.Assignments[1].Subject, d.Roles[1].Permissions = Subject{User: "full"}, []string{"x", "y:z:w"}
	var pieces []string
	if err := d.Pack(func(piece []byte) error { pieces = append(pieces, string(piece)); return nil }); err != nil {
		t.Fatal(err)
	}
	again, err := Unpack(pieces)
	if err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(again.Organisation, d.Organisation) {
		t.Errorf("the organisation comes back as %+v, was %+v", again.Organisation, d.Organisation)
	}
	for _, k := range tables {
		var were []Object
		k.table(d).walk(func(o Object) { were = append(were, o) })
		i := 0
		k.table(again).walk(func(o Object) {
			if !reflect.DeepEqual(o, were[i]) {
				t.Errorf("a %s comes back as\n%+v\nwas\n%+v", k.kind, o, were[i])
			}
			i++
		})
	}
}
