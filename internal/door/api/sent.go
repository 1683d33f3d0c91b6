package api

import (
	"fmt"
	"net/http"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"fachwerk/internal/core/model"
)

// unkept are the fields whose texts are not kept as they were sent: secrets, which may have any characters, and lists
// that are taken apart.
var unkept = []string{"password", "present", "secret", "code", "text", "data", "answer"}

// unfit says what in the body of a request cannot be kept, with its place: an instant outside the years 1 to 9999,
// which has no form in UTC, or a text with something that is not seen or turns it round; nil if all can be.
func unfit(in any) error {
	body := reflect.ValueOf(in).Elem().FieldByName("Body")
	if !body.IsValid() {
		return nil
	}
	var wrong *huma.ErrorDetail
	look(body, "body", true, &wrong)
	if wrong == nil {
		return nil
	}
	return huma.NewError(http.StatusUnprocessableEntity, "validation failed", wrong)
}

var instants = reflect.TypeFor[time.Time]()

// look looks at a value; at its texts too, unless they are those of an object of the design, which is checked as such.
func look(v reflect.Value, place string, texts bool, wrong **huma.ErrorDetail) {
	if *wrong != nil {
		return
	}
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			look(v.Elem(), place, texts, wrong)
		}
	case reflect.Struct:
		if v.Type() == instants {
			if t := v.Interface().(time.Time); !t.IsZero() && !model.InYears(t) {
				*wrong = &huma.ErrorDetail{Message: "expected an instant in the years 1 to 9999 (UTC)", Location: place}
			}
			return
		}
		for i := range v.NumField() {
			f := v.Type().Field(i)
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			switch {
			case !f.IsExported() || name == "-" || slices.Contains(unkept, name):
			case f.Anonymous && name == "":
				look(v.Field(i), place, texts, wrong)
			default:
				look(v.Field(i), place+"."+name, texts && name != "before" && name != "after", wrong)
			}
		}
	case reflect.Slice, reflect.Array:
		if v.Type().Elem().Kind() == reflect.Uint8 {
			return
		}
		for i := range v.Len() {
			look(v.Index(i), place+"["+strconv.Itoa(i)+"]", texts, wrong)
		}
	case reflect.Map:
		for _, key := range v.MapKeys() {
			look(v.MapIndex(key), place+"."+fmt.Sprint(key), texts, wrong)
		}
	case reflect.String:
		if at, r := model.Hidden(v.String(), true); texts && at >= 0 {
			*wrong = &huma.ErrorDetail{
				Message:  fmt.Sprintf("expected a text without control characters; there is one (U+%04X) after %d bytes", r, at),
				Location: place,
			}
		}
	}
}
