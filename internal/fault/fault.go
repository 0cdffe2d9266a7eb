// Package fault names what can be wrong with what a caller asks for. Errors that are none of these are the program's own.
package fault

import (
	"errors"
	"fmt"

	"jolvex/internal/store"
)

var (
	// ErrInput wraps what a caller got wrong.
	ErrInput = errors.New("not acceptable")
	// ErrMissing says that what was asked for is not there.
	ErrMissing = store.ErrMissing
	// ErrTaken says that a name is in use.
	ErrTaken = store.ErrTaken
	// ErrChanged says that what is to be replaced is not what the caller has read.
	ErrChanged = errors.New("changed meanwhile")
)

// Input says what a caller got wrong, in words; it wraps ErrInput.
func Input(format string, args ...any) error {
	return fmt.Errorf("%w: %s", ErrInput, fmt.Sprintf(format, args...))
}
