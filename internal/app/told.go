package app

import (
	"context"
	"fmt"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/wording"
	"loyallatch.example/latch/internal/core/words"
	"loyallatch.example/latch/internal/store"
)

// toldAhead is how long before somebody goes whoever looks after them is written to.
const toldAhead = 3 * 24 * time.Hour

// TellOfComings writes to people on the day on which they begin, and when their access has ended, and to whoever looks
// after them three days before they go: each once, whichever instance does it, and nobody who is only prepared. Days on
// which no instance ran are caught up with. It is done by itself now and then.
func (a *App) TellOfComings(ctx context.Context) error {
	if !a.Mails() {
		return nil
	}
	now := a.now()
	before, err := a.store.Looked(ctx, "comings")
	if err != nil {
		return err
	}
	if before.IsZero() {
		before = now
	}
	before = later(before, now.AddDate(0, 0, -mostMissed))
	live := a.Live()
	for _, p := range live.State().Staff.All() {
		for _, mail := range a.comings(live, p, before, now) {
			if err := a.store.AddMail(ctx, mail); err != nil {
				return err
			}
		}
	}
	return a.store.Look(ctx, "comings", now)
}

// comings are the messages about somebody's coming and going that are due between two moments.
func (a *App) comings(live *Live, p *people.Staff, before, now time.Time) (mails []*store.Mail) {
	passed := func(at int64) bool { return at > before.Unix() && at <= now.Unix() }
	add := func(to *people.Staff, kind string, at int64, subject, body string) {
		if mail := a.mailTo(to, kind, fmt.Sprintf("%s %d %d %d", kind, p.ID, at, to.ID), subject,
			fmt.Sprintf("Hello %s,\n\n%s", to.Called(), body)); mail != nil {
			mails = append(mails, mail)
		}
	}
	name := live.State().Settings.Name
	span := p.SpanIn(live.Location(p.ID))
	status := live.Status(p.ID, now.Unix())
	if passed(p.StartDate.Start(live.Location(p.ID)).Unix()) && status == people.Active {
		var can []string
		for _, s := range wording.English.Statements(live.Snapshot, p.ID, now.Unix()) {
			can = append(can, strings.TrimSpace(s.Sentence+" "+s.Further))
		}
		add(p, "welcome", p.StartDate.Start(time.UTC).Unix(), "Welcome to "+name,
			fmt.Sprintf("you begin at %s today. Your staff number is %s.\n\n%s\n\nWhoever looks after you gives you "+
				"your PIN "+
				"or your badge.\n", name, p.Number, strings.Join(can, "\n")))
	}
	if passed(span.Gone) {
		add(p, "left", span.Gone, "Your access at "+name+" has ended",
			"your access has ended. Please give back what is not yours to keep: badges, keys, other things.\n")
	}
	if soon := span.Gone - int64(toldAhead/time.Second); passed(soon) && status != people.Left {
		gone := time.Unix(span.Gone-1, 0).In(live.Location(p.ID))
		for _, id := range managersOf(live, p, permit.RecordLeavers, now.Unix()) {
			open := live.leaving(p, 0, nil, now)
			var tasks []string
			for _, task := range open.Tasks {
				tasks = append(tasks, "- "+words.LowerFirst(task.What))
			}
			add(live.State().Person(id), "leaving soon", span.Gone, p.FullName()+" leaves soon",
				fmt.Sprintf("%s (%s) leaves; the last day is %s. To be done:\n\n%s\n\nTick it off, or hand the work "+
					"over:\n%s\n",
					p.FullName(), p.Number, gone.Format("2 January 2006"), strings.Join(tasks, "\n"), a.mailAddress(
						"/leaving")))
		}
	}
	return mails
}
