package app

import "context"

// BeforeEach has a function called before each step by which the instance publishes a state and reports it.
func (a *App) BeforeEach(do func(step string)) { a.state.between.Store(&do) }

// Steps are the steps of publishing, in their order.
var Steps = []string{stepShow, stepPublish, stepReport}

// HashedForManagers returns how much was hashed while a manager waited.
func (a *App) HashedForManagers() int64 { return a.hashing.worked[forManagers].Load() }

// LookAbout notes what is to be asked for, now.
func (a *App) LookAbout(ctx context.Context) { a.lookAbout(ctx) }
