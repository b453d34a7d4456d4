package app

import (
	"sync/atomic"
	"time"
)

// counts are what an operator watches of an instance since its start.
type counts struct {
	changes, waited, plansFailed, auditFailed, unexplained atomic.Int64
}

// ChangesWaiting returns how many changes wait for their turn or are being made.
func (a *App) ChangesWaiting() int64 { return a.counts.changes.Load() }

// ChangesWaited returns for how long changes have waited for their turn, in all.
func (a *App) ChangesWaited() time.Duration { return time.Duration(a.counts.waited.Load()) }

// PlansFailed returns how many planned drafts could not be applied.
func (a *App) PlansFailed() int64 { return a.counts.plansFailed.Load() }

// AuditFailed returns how many changes and entries of the audit log could not be written.
func (a *App) AuditFailed() int64 { return a.counts.auditFailed.Load() }

// ActsWaiting returns how many urgent acts wait to become changes.
func (a *App) ActsWaiting() int {
	acts, _ := a.state.Acts()
	return len(acts)
}

// ReadersHeld returns at how many readers and people wrong tries are held up.
func (a *App) ReadersHeld() (count int) {
	a.tries.mu.Lock()
	defer a.tries.mu.Unlock()
	for _, until := range a.tries.until {
		if a.now().Before(until) {
			count++
		}
	}
	return count
}
