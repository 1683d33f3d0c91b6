package store

import "time"

// AtEachStep has do told each step of what must not be broken off halfway.
func AtEachStep(do func(step string)) { at = do }

// ProbeAnew has the next question whether the store is ready find out, as some seconds later.
func (s *Store) ProbeAnew() { s.ground.probed = time.Time{} }
