package app

import (
	"context"
	"fmt"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/message"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
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
	chosen, err := a.choicesOf(ctx)
	if err != nil {
		return err
	}
	var mails []*store.Mail
	for _, p := range live.State().Staff.All() {
		mails = append(mails, a.comings(live, p, chosen, before, now)...)
	}
	if err := a.store.AddMails(ctx, mails); err != nil {
		return err
	}
	return a.store.Look(ctx, "comings", now)
}

// comings are the messages about somebody's coming and going that are due between two moments.
func (a *App) comings(live *Live, p *people.Staff, chosen choices, before, now time.Time) (mails []*store.Mail) {
	passed := func(at int64) bool { return at > before.Unix() && at <= now.Unix() }
	add := func(to *people.Staff, kind message.Kind, at int64, values map[string]string) {
		once := fmt.Sprintf("%s %d %d %d", kind, p.ID, at, to.ID)
		mails = append(mails, chosen.held(a.write(live, to, kind, once, values)))
	}
	span := p.SpanIn(live.Location(p.ID))
	status := live.Status(p.ID, now.Unix())
	if passed(p.StartDate.Start(live.Location(p.ID)).Unix()) && status == people.Active {
		add(p, message.Welcome, p.StartDate.Start(time.UTC).Unix(), map[string]string{"access": live.accessWords(p.ID,
			now)})
	}
	if passed(span.Gone) {
		add(p, message.Left, span.Gone, nil)
	}
	if soon := span.Gone - int64(toldAhead/time.Second); passed(soon) && status != people.Left {
		var tasks []string
		for _, task := range live.leaving(live.Caretakers(now.Unix()), p, 0, 0, nil, now).Tasks {
			tasks = append(tasks, "- "+words.LowerFirst(task.What))
		}
		for _, id := range managersOf(live, p, permit.RecordLeavers, message.LeavingSoon, chosen, now.Unix()) {
			add(live.State().Person(id), message.LeavingSoon, span.Gone, live.about(p, map[string]string{
				"last_day": day.UntilWords(time.Unix(span.Gone, 0).In(live.Location(p.ID))),
				"tasks":    strings.Join(tasks, "\n"), "link": a.mailAddress("/leaving")}))
		}
	}
	return mails
}
