// Package generated is where the client is laid that is made of the API's description; what it rests on is named here.
package generated

import (
	_ "github.com/oapi-codegen/nullable"
	_ "github.com/oapi-codegen/runtime"
)
