package rows

import (
	"bytes"
	"fmt"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// text gives what bytes say, in UTF-8.
func (f *File) text(data []byte) (string, error) {
	if f.Reading.Encoding == "" {
		f.Reading.Encoding = encodingOf(data)
	}
	switch f.Reading.Encoding {
	case UTF8:
		data = bytes.TrimPrefix(data, []byte("\ufeff"))
		if !utf8.Valid(data) {
			at := 0
			for at < len(data) {
				r, n := utf8.DecodeRune(data[at:])
				if r == utf8.RuneError && n == 1 {
					break
				}
				at += n
			}
			return "", fmt.Errorf(
				"line %d is not UTF-8: choose another encoding",
				1+bytes.Count(data[:at], []byte("\n")),
			)
		}
		return string(data), nil
	case Western, Central, Mac:
		table := map[string]*charmap.Charmap{
			Western: charmap.Windows1252, Central: charmap.Windows1250, Mac: charmap.Macintosh,
		}[f.Reading.Encoding]
		out, err := table.NewDecoder().Bytes(data)
		return string(out), err
	case UTF16LE, UTF16BE:
		order := unicode.LittleEndian
		if f.Reading.Encoding == UTF16BE {
			order = unicode.BigEndian
		}
		out, _, err := transform.Bytes(unicode.UTF16(order, unicode.UseBOM).NewDecoder(), data)
		return string(out), err
	}
	return "", fmt.Errorf("the encoding %q is not known", f.Reading.Encoding)
}

func encodingOf(data []byte) string {
	switch {
	case bytes.HasPrefix(data, []byte("\xff\xfe")):
		return UTF16LE
	case bytes.HasPrefix(data, []byte("\xfe\xff")):
		return UTF16BE
	}
	some := data[:min(len(data), 4096)]
	even, odd := 0, 0
	for i, b := range some {
		if b == 0 && i%2 == 0 {
			even++
		} else if b == 0 {
			odd++
		}
	}
	switch {
	case odd > len(some)/5:
		return UTF16LE
	case even > len(some)/5:
		return UTF16BE
	case utf8.Valid(data):
		return UTF8
	}
	return eightBit(data)
}

// signs are quotation marks, dashes and small letters of Windows-1252 and Windows-1250 that stand beside letters.
const signs = "\x80\x82\x84\x85\x8b\x91\x92\x93\x94\x95\x96\x97\x99\x9a\x9b\x9c\x9d\x9e\x9f"

// eightBit tells encodings of eight bits apart, by what stands beside letters: the letters of Mac Roman are controls
// and signs in the others, and those of Central Europe are signs in Windows-1252 that no word has.
func eightBit(data []byte) string {
	letter := func(i int) bool {
		return i >= 0 && i < len(data) && ('a' <= data[i]|0x20 && data[i]|0x20 <= 'z')
	}
	mac, central, high := 0, 0, 0
	for i, b := range data {
		if b < 0x80 || !letter(i-1) && !letter(i+1) {
			continue
		}
		switch {
		case b >= 0xc0:
			high++
		case strings.IndexByte("\x8a\x8c\x8e", b) >= 0: // capitals in the others, and small letters in Mac Roman
			if i > 0 && 'a' <= data[i-1] && data[i-1] <= 'z' {
				mac++
			}
		case b <= 0x9f && strings.IndexByte(signs, b) < 0:
			mac++
		case strings.IndexByte("\xa3\xa5\xaa\xaf\xb3\xb9\xba\xbc\xbe\xbf", b) >= 0:
			central++
		}
	}
	switch {
	case mac > high+central:
		return Mac
	case central > 0:
		return Central
	}
	return Western
}
