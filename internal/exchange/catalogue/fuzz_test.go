package catalogue_test

import (
	"testing"

	"fachwerk/internal/core/model"
	"fachwerk/internal/exchange/catalogue"
)

// FuzzRead reads whatever as a catalogue: it is refused with words, or it is one of the system that was asked for, with
// keys of that system.
func FuzzRead(f *testing.F) {
	f.Add("c.json", []byte(`{"system":{"id":"q","name":"Q","version":"5","permissions":[{"key":"q:a:b","implies":["q:a:c"]}]},"renames":{"q:x:y":"q:a:b"}}`))
	f.Add("c.csv", []byte("Key;Name;Class;Risk;Implies;Sets;Was\nq:gate:view;;;;;q-all;\nq:gate:open;Open;Write;high;gate:view;q-all;q:gate:lift\n"))
	f.Add("c.csv", []byte("object,action,label\n\"a\nb\",view,\xff\n"))
	f.Add("c.xlsx", []byte("PK\x03\x04"))
	f.Fuzz(func(t *testing.T, name string, data []byte) {
		c, err := catalogue.Read(name, data, "q", "5")
		if err != nil {
			if err.Error() == "" {
				t.Fatal("it is refused without a word")
			}
			return
		}
		if c.System == nil || c.System.ID != "q" {
			t.Fatalf("of %q, the system is %+v", data, c.System)
		}
		for _, p := range c.System.Permissions {
			if system, _, _, ok := model.CutKey(p.Key); !ok || system != "q" {
				t.Fatalf("of %q, a permission is %q", data, p.Key)
			}
		}
	})
}
