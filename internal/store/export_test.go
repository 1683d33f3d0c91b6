package store

// AtEachStep has do told each step of what must not be broken off halfway.
func AtEachStep(do func(step string)) { at = do }
