package store

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"sync"
	"syscall"
)

// A snapshot is a file beside the database that holds the design of a revision, with what was compiled of it, in a form
// that is read back quickly. It can be lost or removed at any time: everything in it is had from the database too. It
// counts only for the program that wrote it, and for a database whose record holds that very revision, by the hash of
// its chain; and only if it is, byte for byte, the one that was kept last.
//
// The file begins with a head and goes on with pieces, each with a mark of its section, its length and a checksum.

// snapshotSuffix names a snapshot after its database.
const snapshotSuffix = ".index"

var (
	snapshotMagic = []byte("FACHWERK INDEX 1\n")
	checksums     = crc32.MakeTable(crc32.Castagnoli)
)

// snapshotEnd is the section of the last piece, which is empty: without it, the file was cut off.
const snapshotEnd = 0xff

// mostPiece bounds the length of a piece, in bytes.
const mostPiece = 1 << 30

// Section writes a section of a snapshot, piece by piece.
type Section func(emit func(piece []byte) error) error

// snapshotHead is what a snapshot begins with: for which program and revision it is.
func (s *Store) snapshotHead(revision int) ([]byte, error) {
	program, err := thisProgram()
	if err != nil {
		return nil, err
	}
	r, err := s.Revision(revision)
	if err != nil {
		return nil, err
	}
	head := append(bytes.Clone(snapshotMagic), program...)
	head = binary.LittleEndian.AppendUint64(head, uint64(revision))
	return append(append(head, byte(len(r.Hash))), r.Hash...), nil
}

// thisProgram is the SHA-256 of the program that runs: what another has compiled may mean something else.
var thisProgram = sync.OnceValues(func() ([]byte, error) {
	f, err := os.Open("/proc/self/exe") // the one that runs, even if its file has been replaced
	if err != nil {
		return nil, err
	}
	h := sha256.New()
	_, err = io.Copy(h, f)
	return h.Sum(nil), errors.Join(err, f.Close())
})

// KeepSnapshot keeps a snapshot of a revision, in place of the one before. It is the whole file or none, whatever
// happens meanwhile; where another process is keeping one, nothing is done.
func (s *Store) KeepSnapshot(revision int, sections ...Section) (err error) {
	head, err := s.snapshotHead(revision)
	if err != nil {
		return err
	}
	name := s.ground.file + snapshotSuffix
	f, err := os.OpenFile(name+".new", os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	switch err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); {
	case errors.Is(err, syscall.EWOULDBLOCK):
		return nil
	case err != nil:
		return err
	}
	sum := sha256.New()
	if err := errors.Join(f.Truncate(0), writeSnapshot(io.MultiWriter(f, sum), head, sections), f.Sync()); err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	if err := os.Rename(f.Name(), name); err != nil {
		return err
	}
	return errors.Join(syncFolder(filepath.Dir(name)), s.SetSetting(settingSnapshot, hex.EncodeToString(sum.Sum(nil))))
}

// settingSnapshot is the SHA-256 of the snapshot that was kept last: no other counts.
const settingSnapshot = "snapshot"

func writeSnapshot(f io.Writer, head []byte, sections []Section) error {
	w := bufio.NewWriterSize(f, 1<<20)
	piece := func(section byte, data []byte) error {
		if len(data) > mostPiece {
			return fmt.Errorf("a piece of %d bytes is too long", len(data))
		}
		frame := append(make([]byte, 0, frameSize), section)
		frame = binary.LittleEndian.AppendUint32(frame, uint32(len(data)))
		frame = binary.LittleEndian.AppendUint32(frame, crc32.Checksum(data, checksums))
		_, first := w.Write(frame)
		_, second := w.Write(data)
		return errors.Join(first, second)
	}
	if _, err := w.Write(head); err != nil {
		return err
	}
	for i, write := range sections {
		if err := write(func(data []byte) error { return piece(byte(i), data) }); err != nil {
			return err
		}
	}
	return errors.Join(piece(snapshotEnd, nil), w.Flush())
}

// frameSize is how many bytes go before each piece.
const frameSize = 1 + 4 + 4

// Snapshot gives the pieces of each section of the snapshot and the revision that it is of. It is [ErrNotFound] if
// there is none that counts, and another error if it is damaged.
func (s *Store) Snapshot(sections int) (revision int, pieces [][]string, err error) {
	f, err := os.Open(s.ground.file + snapshotSuffix)
	if errors.Is(err, fs.ErrNotExist) {
		return 0, nil, ErrNotFound
	}
	if err != nil {
		return 0, nil, err
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	sum := sha256.New()
	in := bufio.NewReaderSize(io.TeeReader(f, sum), 1<<20)
	begins := make([]byte, len(snapshotMagic)+sha256.Size+8)
	if _, err := io.ReadFull(in, begins); err != nil || !bytes.HasPrefix(begins, snapshotMagic) {
		return 0, nil, errors.Join(errors.New("the file does not begin as a snapshot does"), err)
	}
	revision = int(binary.LittleEndian.Uint64(begins[len(begins)-8:]))
	head, err := s.snapshotHead(revision)
	if err != nil { // there is no such revision, for one
		return 0, nil, err
	}
	rest := make([]byte, len(head)-len(begins))
	if _, err := io.ReadFull(in, rest); err != nil {
		return 0, nil, err
	}
	if !bytes.Equal(head, append(begins, rest...)) {
		return 0, nil, ErrNotFound
	}
	if pieces, err = readPieces(in, sections); err != nil {
		return 0, nil, err
	}
	if _, err := io.Copy(io.Discard, in); err != nil {
		return 0, nil, err
	}
	kept, err := s.Setting(settingSnapshot)
	if err == nil && kept != hex.EncodeToString(sum.Sum(nil)) {
		err = errors.New("it is not the snapshot that was kept last")
	}
	return revision, pieces, err
}

func readPieces(in io.Reader, sections int) ([][]string, error) {
	pieces := make([][]string, sections)
	frame := make([]byte, frameSize)
	for {
		if _, err := io.ReadFull(in, frame); err != nil {
			return nil, err
		}
		section, size := int(frame[0]), binary.LittleEndian.Uint32(frame[1:])
		switch {
		case section == snapshotEnd:
			return pieces, nil
		case section >= sections, size > mostPiece:
			return nil, errors.New("a piece is not what it says")
		}
		var text bytes.Buffer // which does not take a damaged length at its word
		if _, err := io.CopyN(&text, in, int64(size)); err != nil {
			return nil, err
		}
		if crc32.Checksum(text.Bytes(), checksums) != binary.LittleEndian.Uint32(frame[5:]) {
			return nil, errors.New("a piece does not have its checksum")
		}
		pieces[section] = append(pieces[section], text.String())
	}
}

// OperationsSince counts the operations of the revisions after one, up to a number.
func (s *Store) OperationsSince(revision, most int) (n int, err error) {
	return n, s.db.Raw("SELECT count(*) FROM (SELECT 1 FROM operations WHERE revision > ? LIMIT ?)", revision, most).
		Scan(&n).Error
}
