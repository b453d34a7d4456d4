package app

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"syscall"
	"time"

	"loyallatch.example/latch/internal/store"
)

// An instance looks at itself time and again: what it can tell without asking anybody each second, and whenever it is
// asked whether it is ready; the rest twice a minute.
const (
	lookSelfEvery  = time.Second
	lookAboutEvery = 30 // of those rounds
)

const (
	// mostApart is how far the clocks of the machine and of the database may be from each other.
	mostApart = 2 * time.Second
	// fullest is which share of a disk is free at least.
	fullest = 0.05
	// mailWaits is for how long a message waits before that is trouble; three tries are made in that time.
	mailWaits = 10 * time.Minute
	// waitedMost is how long was waited for connections in a second, by all that wait together.
	waitedMost = 2 * time.Second
)

func (a *App) lookAround(ctx context.Context) {
	var rounds int
	every(ctx, lookSelfEvery, func() {
		a.lookAtSelf()
		a.lookAtConnections()
		if rounds%lookAboutEvery == 2 {
			if within, done, err := a.Reach(ctx); err == nil {
				a.lookAbout(within)
				done()
			}
		}
		rounds++
	})
}

// lookAtSelf notes what the instance knows of itself.
func (a *App) lookAtSelf() {
	t := a.troubles
	behind := a.Behind()
	t.NoteIf(TroubleBehind, behind > min(RefuseAfter, a.pulse.refuseAfter), "not for %d seconds", int(behind.Seconds()))
	a.pulse.mu.Lock()
	away := a.pulse.away
	var unwritten error
	for _, w := range a.pulse.writes {
		if w.problem != nil && time.Since(w.since) > unwritableAfter {
			unwritten = w.problem
		}
	}
	a.pulse.mu.Unlock()
	t.NoteIf(TroubleDatabase, away, "no answer for %d seconds", int(behind.Seconds()))
	t.Err(TroubleWrites, unwritten)
	if stray := a.stray.Load(); stray != nil {
		t.Note(stray.kind, stray.problem)
	}
	aside := len(a.Live().State().AsideRecords())
	t.NoteIf(TroubleRecords, aside > 0, "%d of them", aside)
	unexplained := a.Unexplained()
	t.NoteIf(TroubleUnexplained, unexplained > 0, "%d findings", unexplained)
}

// lookAtConnections notes that what is asked waits for connections, where it does for a while.
func (a *App) lookAtConnections() {
	waited := a.Connections().WaitDuration
	since := waited - a.waited
	a.waited = waited
	a.troubles.NoteIf(TroubleConnections, since > waitedMost, "%.1f seconds in the last one, of all that wait",
		since.Seconds())
}

// lookAbout notes what is to be asked for: of the database, and of the machine.
func (a *App) lookAbout(ctx context.Context) {
	t := a.troubles
	if apart, err := a.store.ClockApart(ctx); err == nil {
		t.NoteIf(TroubleClock, apart.Abs() > mostApart, "the database's is %s %s", apart.Abs().Round(time.Millisecond),
			map[bool]string{true: "ahead", false: "behind"}[apart > 0])
	}
	if waiting, err := a.store.MailWaiting(ctx, a.now().Add(-mailWaits), a.now().Add(-24*time.Hour)); err == nil {
		t.Note(TroubleMail, mailTrouble(waiting, a.Mails()))
	}
	if kept, err := a.store.KeyBackup(ctx); err == nil && a.asksForBackup {
		t.NoteIf(TroubleKeyBackup, kept.IsZero(), "none was noted since the key was made")
	}
	t.Note(TroubleDisk, fullDisks(a.folders))
}

func mailTrouble(w store.MailWaiting, can bool) string {
	switch {
	case w.Failing > 0 && can:
		return fmt.Sprintf("%d wait for longer than %s: %s", w.Failing, mailWaits, w.Problem)
	case w.GivenUp > 0:
		return fmt.Sprintf("%d were given up in the last day: %s", w.GivenUp, w.Problem)
	}
	return ""
}

// fullDisks says which of some folders stand on a disk that is nearly full.
func fullDisks(folders map[string]string) string {
	var full []string
	for what, path := range folders {
		var disk syscall.Statfs_t
		err := syscall.Statfs(path, &disk)
		switch free := float64(disk.Bavail) / float64(max(disk.Blocks, 1)); {
		case errors.Is(err, os.ErrNotExist):
			full = append(full, fmt.Sprintf("the folder of %s is gone: %s", what, path))
		case err == nil && free < fullest:
			full = append(full, fmt.Sprintf("that of %s has %.1f %% left: %s", what, 100*free, path))
		}
	}
	slices.Sort(full)
	if len(full) == 0 {
		return ""
	}
	return fmt.Sprint(full)
}

// Troubles returns what is wrong with how the instance runs, as of now; what makes it unfit to serve stands first.
func (a *App) Troubles() []Trouble {
	a.lookAtSelf()
	return a.troubles.All()
}

// Ready says why the instance is not fit to serve; nil: it is.
func (a *App) Ready() error {
	if list := a.Troubles(); len(list) > 0 && list[0].Stops {
		return fmt.Errorf("%s: %s", list[0].What, list[0].Detail)
	}
	return nil
}
