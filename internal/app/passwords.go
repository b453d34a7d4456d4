package app

import (
	"context"
	"encoding/json"
	"strings"
	"time"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/message"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// PasswordLinkFor is how long a link to choose a password leads somewhere.
const PasswordLinkFor = 2 * time.Hour

// SendPasswordLink mails a manager a link to a page where they choose a password for the console.
func (a *App) SendPasswordLink(ctx context.Context, actor people.StaffID, reference, origin string) (to string,
	expires time.Time, err error) {
	p, err := a.mailable(actor, reference)
	if err != nil {
		return "", expires, err
	}
	expires, err = a.mailPasswordLink(ctx, actor, p, "Sent a link to choose a password to ", origin)
	return p.Email, expires, err
}

func (a *App) mailPasswordLink(ctx context.Context, actor people.StaffID, p *people.Staff, summary,
	origin string) (time.Time, error) {
	expires := a.now().UTC().Truncate(time.Second).Add(PasswordLinkFor)
	token, err := linkToken()
	if err != nil {
		return expires, err
	}
	live := a.Live()
	mail := a.write(live, p, message.PasswordLink, "", map[string]string{"link": a.mailAddress("/password/" + token),
		"expires": expires.In(live.Location(p.ID)).Format("Monday 2 January 15:04")})
	return expires, a.sendLink(ctx, actor, p, passwordLink, token, expires, mail, summary, origin)
}

// ForgotPassword mails a link to whoever goes by a name and has a password for the console. Nothing is said of whether
// there is somebody of that name: the mail tells whom it concerns. What is asked for is counted, at the name and at the
// address.
func (a *App) ForgotPassword(ctx context.Context, name, address string) error {
	name = strings.TrimSpace(name)
	if err := a.count(ctx, a.tried(store.TryAccount, credential.ByAccount, "forgot", strings.ToLower(name)),
		a.tried(store.TryAddress, credential.ByAddress, "forgot", network(address))); err != nil {
		return err
	}
	live := a.Live()
	p := live.State().StaffByEmail(name)
	if p == nil {
		p = live.State().StaffByNumber(name)
	}
	if name == "" || p == nil || p.Email == "" || !a.Mails() || !a.MayUse(live, p.ID) ||
		live.State().CredentialOf(p.ID, credential.Password) == nil {
		return nil
	}
	stands, err := a.addressStands(ctx, live, p)
	if err != nil {
		return err
	}
	if !stands {
		a.log.Warn("a link to choose a password was not sent: nobody who set or confirmed the address stands over its "+
			"holder; a manager who does confirms it by sending a link", "staff", p.Number)
		return nil
	}
	_, err = a.mailPasswordLink(ctx, 0, p, "Sent a link to choose a password, which was asked for at the sign-in, to ",
		"console "+address)
	return err
}

// ChoosePasswordByLink gives somebody the password that they choose, and uses the link up with it. Their other sessions
// end.
func (a *App) ChoosePasswordByLink(ctx context.Context, token, number, password, address string) error {
	p, digest, err := a.byLink(ctx, passwordLink, token, number)
	if err != nil {
		return err
	}
	set, err := json.Marshal(change.PasswordForm{Staff: p.Number, Password: password})
	if err != nil {
		return err
	}
	_, err = a.Commit(ctx, Request{Actor: change.Actor{System: "password link"}, Origin: linkOrigin + address,
		For:    p.ID,
		Reason: "Chosen by a link", Operations: []change.Operation{{Op: "password.set", Set: set}},
		Within: func(tx *store.Tx, _ uint64, _ *change.Trial) error {
			ok, err := tx.UseLink(digest, a.now())
			if err == nil && !ok {
				err = errNoLink
			}
			return err
		}})
	return err
}

// CheckPasswordLink says whose link it is, to whoever knows their staff number.
func (a *App) CheckPasswordLink(ctx context.Context, token, number string) (called string, err error) {
	p, _, err := a.byLink(ctx, passwordLink, token, number)
	if err != nil {
		return "", err
	}
	return p.Called(), nil
}

// SignInOf is what a list of those who may sign in to the console says of one of them.
type SignInOf struct {
	Staff    *people.Staff
	Password *credential.Credential // nil: none that counts
	Last     time.Time              // zero: never, or before this was noted
	Sessions int
}

// SignIns returns those who have a password for the console, or may use it by what they hold, of those over whom the
// actor may act.
func (a *App) SignIns(ctx context.Context, actor people.StaffID) ([]SignInOf, error) {
	live, now := a.Live(), a.now().Unix()
	if !live.HoldsAnywhere(actor, permit.IssueCredentials, now) {
		return nil, fault.Refusedf("not-permitted",
			"This needs the permission “Issue credentials”, which you do not hold anywhere.")
	}
	at, sessions, err := a.LastSignIns(ctx)
	if err != nil {
		return nil, err
	}
	reach, _ := live.Reach(actor, permit.IssueCredentials, now)
	list := []SignInOf{}
	for number := range live.State().Staff.All() {
		p := live.State().Person(people.StaffID(number))
		c := live.State().CredentialOf(p.ID, credential.Password)
		if int(p.HomeSite) >= len(reach) || !reach[p.HomeSite] || live.Status(p.ID, now) == people.Left ||
			c == nil && (!live.GivenConsole(p.ID, now) || !a.MayUse(live, p.ID)) {
			continue
		}
		list = append(list, SignInOf{p, c, at[number], sessions[number]})
	}
	return list, nil
}
