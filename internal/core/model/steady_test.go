package model

import (
	"reflect"
	"testing"
	"time"
)

// Every field of any kind that says from or until when something holds bounds the span in which a design stays as it
// is, whether it is added later or not.
func TestSteadyKnowsEveryDatedField(t *testing.T) {
	now := time.Date(2026, 3, 4, 12, 0, 0, 0, time.UTC)
	seen := 0
	for _, kind := range Kinds {
		var dated func(v reflect.Value, found func(v reflect.Value))
		dated = func(v reflect.Value, found func(v reflect.Value)) {
			switch v.Kind() {
			case reflect.Pointer:
				v.Set(reflect.New(v.Type().Elem()))
				dated(v.Elem(), found)
			case reflect.Slice:
				v.Set(reflect.MakeSlice(v.Type(), 1, 1))
				dated(v.Index(0), found)
			case reflect.Struct:
				if v.Type() == reflect.TypeFor[time.Time]() {
					found(v)
					return
				}
				for i := range v.NumField() {
					dated(v.Field(i), found)
				}
			}
		}
		count := 0
		made := func(which int, at time.Time) *Design {
			o, err := New(kind)
			if err != nil {
				t.Fatal(err)
			}
			count = 0
			dated(reflect.ValueOf(o).Elem(), func(v reflect.Value) {
				if count == which {
					v.Set(reflect.ValueOf(at))
				}
				count++
			})
			d := &Design{}
			d.Add(o)
			return d
		}
		made(0, now)
		for i := range count {
			seen++
			hour := now.Add(time.Hour)
			if from, until := made(i, hour).Steady(now); !from.IsZero() || !until.Equal(hour) {
				t.Errorf("%s, dated field %d in an hour: steady from %v until %v", kind, i, from, until)
			}
			for _, at := range []time.Time{now, now.Add(-time.Hour)} {
				if from, until := made(i, at).Steady(now); !from.Equal(at) || !until.IsZero() {
					t.Errorf("%s, dated field %d at %v: steady from %v until %v", kind, i, at, from, until)
				}
			}
		}
	}
	if seen < 8 {
		t.Errorf("only %d dated fields were looked at", seen)
	}
	d := &Design{Assignments: Table[*Assignment]{
		{ID: "a", From: now.Add(-2 * time.Hour), Until: now.Add(3 * time.Hour)},
		{ID: "b", From: now.Add(-time.Hour), Until: now.Add(2 * time.Hour)},
	}}
	if from, until := d.Steady(now); !from.Equal(now.Add(-time.Hour)) || !until.Equal(now.Add(2*time.Hour)) {
		t.Errorf("of two, steady from %v until %v", from, until)
	}
}
