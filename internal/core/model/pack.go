package model

import (
	"fmt"
	"math"
	"reflect"
	"slices"
	"time"

	"fachwerk/internal/core/fan"
	"fachwerk/internal/core/packed"
)

// A packed design is pieces: one that says how much there is; the ids of each table and the keys of all permissions,
// so many to a piece; and the objects of each table, so many to a piece. Where an object names another, the number of
// that one in its table is written, so that everything that names it shares one text in memory.

// pieceSize is how many ids or objects a piece holds.
const pieceSize = 4096

// keys stands for the table of all keys of permissions, which those of the systems make up.
const keys = Kind("permission")

// packs is what can be named, in the order in which it is packed.
var packs = append([]Kind{keys}, Kinds[1:]...)

// Pack writes a design as pieces that [Unpack] puts together again, in the same program. A piece is good until emit
// returns.
func (d *Design) Pack(emit func(piece []byte) error) error {
	p := &packer{numbers: make([]map[string]int, len(packs)), common: make([]packed.Common, len(commons))}
	ids := map[Kind][]string{keys: d.keys()}
	for _, k := range tables {
		k.table(d).walk(func(o Object) { ids[k.kind] = append(ids[k.kind], o.Ident()) })
	}
	p.Text(d.Organisation.Name)
	for k, kind := range packs {
		p.Number(uint64(len(ids[kind])))
		if !named[kind] {
			continue
		}
		p.numbers[k] = make(map[string]int, len(ids[kind]))
		for i, id := range ids[kind] {
			p.numbers[k][id] = i
		}
	}
	if err := p.finish(emit); err != nil {
		return err
	}
	for _, kind := range packs {
		for part := range slices.Chunk(ids[kind], pieceSize) {
			for _, id := range part {
				p.Text(id)
			}
			if err := p.finish(emit); err != nil {
				return err
			}
		}
	}
	for _, k := range tables {
		n := 0
		var err error
		k.table(d).walk(func(o Object) {
			if err != nil {
				return
			}
			shapes[k.kind].write(p, reflect.ValueOf(o).Elem())
			if n++; n%pieceSize == 0 || n == len(ids[k.kind]) {
				err = p.finish(emit)
			}
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// keys gives the keys of all permissions, system by system.
func (d *Design) keys() (out []string) {
	for _, s := range d.Systems {
		for _, p := range s.Permissions {
			out = append(out, p.Key)
		}
	}
	return out
}

// packer writes objects.
type packer struct {
	packed.Piece
	numbers []map[string]int // of what is named, by id; in the order of packs
	common  []packed.Common  // in the order of commons
}

func (p *packer) finish(emit func(piece []byte) error) error {
	err := emit(p.Bytes())
	p.Empty()
	for i := range p.common {
		p.common[i].Empty()
	}
	return err
}

// What stands for something that is named, before the numbers of objects.
const (
	namesNothing = iota
	namesByText  // which follows
	namesFirst   // the object that stands first
)

func (p *packer) name(of, common int, id string) {
	if id == "" {
		p.Number(namesNothing)
		return
	}
	if of >= 0 {
		if n, known := p.numbers[of][id]; known {
			p.Number(uint64(n) + namesFirst)
			return
		}
	}
	p.Number(namesByText)
	p.common[common].Text(&p.Piece, id)
}

// Unpack puts a design together of the pieces that [Design.Pack] made. What is not whole gives an error.
func Unpack(pieces []string) (*Design, error) {
	take := func(n int) (out []string, err error) {
		if n > len(pieces) {
			return nil, packed.ErrBroken
		}
		out, pieces = pieces[:n], pieces[n:]
		return out, nil
	}
	first, err := take(1)
	if err != nil {
		return nil, err
	}
	head := packed.Read(first[0])
	d := &Design{Organisation: &Organisation{Name: head.Text()}, built: true}
	ids := make([][]string, len(packs))
	var all []spread
	for k := range packs {
		n := head.Number()
		if n > uint64(len(pieces))*pieceSize { // so that no memory is asked for in vain
			return nil, packed.ErrBroken
		}
		ids[k] = make([]string, n)
		all = append(all, spread{pack: k, n: int(n)})
	}
	if err := head.Err(); err != nil {
		return nil, err
	}
	var work []spread
	add := func(list []spread) error {
		for _, s := range list {
			parts, err := take((s.n + pieceSize - 1) / pieceSize)
			if err != nil {
				return err
			}
			for i, piece := range parts {
				from := i * pieceSize
				work = append(work, spread{s.pack, min(pieceSize, s.n-from), from, piece})
			}
		}
		return nil
	}
	if err := add(all); err != nil {
		return nil, err
	}
	if err := each(work, func(w spread) error {
		r := packed.Read(w.piece)
		for i := range w.n {
			ids[w.pack][w.from+i] = r.Text()
		}
		return r.Err()
	}); err != nil {
		return nil, err
	}
	work = nil
	if err := add(all[1:]); err != nil {
		return nil, err
	}
	if len(pieces) > 0 {
		return nil, packed.ErrBroken
	}
	for k, of := range tables {
		of.table(d).sized(len(ids[k+1]))
	}
	return d, each(work, func(w spread) error { return d.unpack(w, ids) })
}

// spread is a piece with what it holds: n ids or objects of a kind, from a number on.
type spread struct {
	pack    int // the place of the kind in packs
	n, from int
	piece   string
}

// each does something for pieces, side by side.
func each(list []spread, do func(spread) error) error {
	return fan.Each(len(list), func(i int) error { return do(list[i]) })
}

// unpack reads the objects of a piece into their table.
func (d *Design) unpack(w spread, ids [][]string) error {
	k := tables[w.pack-1]
	s := shapes[k.kind]
	u := &unpacker{Reader: packed.Read(w.piece), ids: ids, known: make([][]string, len(commons))}
	objects := reflect.MakeSlice(reflect.SliceOf(s.of), w.n, w.n)
	for i := range w.n {
		v := objects.Index(i)
		v.Field(s.id).SetString(ids[w.pack][w.from+i])
		s.read(u, v)
		k.table(d).put(w.from+i, v.Addr().Interface().(Object))
	}
	return u.Err()
}

// unpacker reads objects.
type unpacker struct {
	*packed.Reader
	ids   [][]string // in the order of packs
	known [][]string // in the order of commons
	texts []string   // memory for lists
}

func (u *unpacker) name(of, common int) string {
	switch n := u.Number(); {
	case n == namesNothing:
		return ""
	case n == namesByText:
		return u.Common(&u.known[common])
	case of >= 0 && n-namesFirst < uint64(len(u.ids[of])):
		return u.ids[of][n-namesFirst]
	}
	u.Break()
	return ""
}

// list gives memory for a list of texts, which many share.
func (u *unpacker) list(n int) []string {
	const many = 1024
	if n > many/8 {
		return make([]string, n)
	}
	if n > len(u.texts) {
		u.texts = make([]string, many)
	}
	out := u.texts[:n:n]
	u.texts = u.texts[n:]
	return out
}

// shape tells how values of a type are packed.
type shape struct {
	of    reflect.Type
	id    int // of a kind of object: the field that holds its id, which is known
	write func(p *packer, v reflect.Value)
	read  func(u *unpacker, v reflect.Value) // into a zero value
}

var (
	shapes  = map[Kind]shape{}
	named   = map[Kind]bool{} // which kinds of objects others name
	commons []string          // the fields of texts, each of which has texts of its own in common
)

func init() {
	for _, k := range tables {
		t := reflect.TypeOf(k.fresh()).Elem()
		id, ok := t.FieldByName("ID")
		if !ok || len(id.Index) != 1 {
			panic(fmt.Sprintf("%s has no field ID", t))
		}
		s := structShape(t, id.Index[0])
		s.id = id.Index[0]
		shapes[k.kind] = s
	}
}

// structShape tells how a struct is packed, but for one of its fields.
func structShape(t reflect.Type, but int) shape {
	type field struct {
		shape
		at int
	}
	var fields []field
	for i := range t.NumField() {
		if i != but {
			f := t.Field(i)
			fields = append(fields, field{shapeOf(t.Name()+"."+f.Name, f.Type, Kind(f.Tag.Get("ref"))), i})
		}
	}
	return shape{
		of: t,
		write: func(p *packer, v reflect.Value) {
			for _, f := range fields {
				f.write(p, v.Field(f.at))
			}
		},
		read: func(u *unpacker, v reflect.Value) {
			for _, f := range fields {
				f.read(u, v.Field(f.at))
			}
		},
	}
}

// shapeOf tells how the values of a field are packed. Ref is the kind of object that it names, if it does.
func shapeOf(name string, t reflect.Type, ref Kind) shape {
	named[ref] = true
	names := slices.Index(packs, ref)
	switch {
	case t == reflect.TypeFor[time.Time]():
		return instants
	case t.Kind() == reflect.String:
		common := len(commons)
		commons = append(commons, name)
		return shape{
			write: func(p *packer, v reflect.Value) { p.name(names, common, v.String()) },
			read:  func(u *unpacker, v reflect.Value) { v.SetString(u.name(names, common)) },
		}
	case t.Kind() == reflect.Struct:
		return structShape(t, -1)
	case t == reflect.TypeFor[[]string]():
		common := len(commons)
		commons = append(commons, name)
		return shape{
			write: func(p *packer, v reflect.Value) {
				list := v.Interface().([]string)
				if writeLength(p, len(list), list == nil) {
					for _, s := range list {
						p.name(names, common, s)
					}
				}
			},
			read: func(u *unpacker, v reflect.Value) {
				if n, some := readLength(u); some {
					list := u.list(n)
					for i := range list {
						list[i] = u.name(names, common)
					}
					v.Set(reflect.ValueOf(list))
				}
			},
		}
	case t.Kind() == reflect.Slice:
		of := shapeOf(name, t.Elem(), ref)
		return shape{
			write: func(p *packer, v reflect.Value) {
				if writeLength(p, v.Len(), v.IsNil()) {
					for i := range v.Len() {
						of.write(p, v.Index(i))
					}
				}
			},
			read: func(u *unpacker, v reflect.Value) {
				if n, some := readLength(u); some {
					v.Set(reflect.MakeSlice(t, n, n))
					for i := range n {
						of.read(u, v.Index(i))
					}
				}
			},
		}
	case t.Kind() == reflect.Pointer:
		of := shapeOf(name, t.Elem(), ref)
		return shape{
			write: func(p *packer, v reflect.Value) {
				if writeLength(p, 0, v.IsNil()) {
					of.write(p, v.Elem())
				}
			},
			read: func(u *unpacker, v reflect.Value) {
				if _, some := readLength(u); some {
					v.Set(reflect.New(t.Elem()))
					of.read(u, v.Elem())
				}
			},
		}
	case t.Kind() == reflect.Bool:
		return shape{
			write: func(p *packer, v reflect.Value) { writeLength(p, 0, !v.Bool()) },
			read: func(u *unpacker, v reflect.Value) {
				_, is := readLength(u)
				v.SetBool(is)
			},
		}
	case t.Kind() == reflect.Int:
		return shape{
			write: func(p *packer, v reflect.Value) { p.Signed(v.Int()) },
			read:  func(u *unpacker, v reflect.Value) { v.SetInt(u.Signed()) },
		}
	case t.Kind() == reflect.Float64:
		return shape{
			write: func(p *packer, v reflect.Value) { p.Number(math.Float64bits(v.Float())) },
			read:  func(u *unpacker, v reflect.Value) { v.SetFloat(math.Float64frombits(u.Number())) },
		}
	case t == reflect.TypeFor[map[string]time.Time]():
		// When systems were last used is no part of a design.
		return shape{write: func(*packer, reflect.Value) {}, read: func(*unpacker, reflect.Value) {}}
	}
	panic(fmt.Sprintf("nobody has said how %s, of type %s, is packed", name, t))
}

// writeLength writes how many things follow, unless there is no list, and tells whether there is one.
func writeLength(p *packer, n int, none bool) bool {
	if none {
		p.Number(0)
		return false
	}
	p.Number(uint64(n) + 1)
	return true
}

// readLength reads what writeLength wrote.
func readLength(u *unpacker) (n int, some bool) {
	switch n := u.Number(); {
	case n == 0:
		return 0, false
	case n-1 > uint64(u.Left()):
		u.Break()
		return 0, false
	default:
		return int(n - 1), true
	}
}

// instants are packed as seconds since 1970 and nanoseconds; a zero one is none.
var instants = shape{
	write: func(p *packer, v reflect.Value) {
		t := v.Interface().(time.Time)
		if writeLength(p, t.Nanosecond(), t.IsZero()) {
			p.Signed(t.Unix())
		}
	},
	read: func(u *unpacker, v reflect.Value) {
		if n := u.Number(); n > 0 {
			v.Set(reflect.ValueOf(time.Unix(u.Signed(), int64(n-1)).UTC()))
		}
	},
}
