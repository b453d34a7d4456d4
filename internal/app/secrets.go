package app

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"runtime"
	"strings"
	"sync"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/store"
)

// mostChosen bounds how many PINs a change may choose: a change that is made says that none of them was in use.
const mostChosen = 5

// slow reports whether the secret of an operation needs a slow hash.
func slow(op string) bool {
	secret := change.Describe(op).Secret
	return secret != change.NoSecret && secret != change.SecretToken
}

// prepare works out, before anybody has to wait for the change, the secrets that its operations hand out or take in:
// all but those that are made already.
func (a *App) prepare(ctx context.Context, r *Request, made map[int]change.Prepared) (map[int]change.Prepared, error) {
	var at []int
	chosen := 0
	for i := range r.Operations {
		if op := &r.Operations[i]; slow(op.Op) && made[i].Plain == "" && made[i].Hash == "" && made[i].Sealed == nil {
			at = append(at, i)
			if a.chosenPIN(*op) {
				chosen++
			}
		}
	}
	if len(at) == 0 {
		return made, nil
	}
	if chosen > mostChosen {
		return nil, fault.Invalidf("operations", "a change chooses at most %d PINs; have more of them generated",
			mostChosen)
	}
	// What would be refused anyway is not worth the work.
	if _, err := change.Apply(a.Live().Snapshot, r.Actor, a.previewAt(r), r.Reason, r.Operations); err != nil {
		return nil, err
	}
	if err := a.choosing(ctx, r, chosen); err != nil {
		return nil, err
	}
	secrets := make(map[int]change.Prepared, len(made)+len(at))
	taken := map[credential.Digest]bool{}
	for i, p := range made {
		secrets[i], taken[p.Digest] = p, true
	}
	var mu sync.Mutex
	ahead, err := a.aheadFor(ctx, r, at)
	if err != nil {
		return nil, err
	}
	one := func(i int) error {
		prepared, err := a.prepareOne(ctx, r, &r.Operations[i], &ahead, func(digest credential.Digest) bool {
			mu.Lock()
			defer mu.Unlock()
			if taken[digest] || a.Live().State().PINByDigest(digest) != nil {
				return true
			}
			taken[digest] = true
			return false
		})
		mu.Lock()
		defer mu.Unlock()
		secrets[i] = prepared
		return err
	}
	if r.asker() != "" {
		for n, i := range at {
			if r.Progress != nil {
				r.Progress(n, len(at))
			}
			if err := one(i); err != nil {
				return nil, err
			}
		}
		return secrets, nil
	}
	// Loading a demo or setting up: nobody is waiting yet, so all cores work at it.
	errs := make([]error, len(at))
	var group sync.WaitGroup
	slots := make(chan struct{}, runtime.NumCPU())
	for n, i := range at {
		slots <- struct{}{}
		group.Go(func() {
			defer func() { <-slots }()
			errs[n] = one(i)
		})
	}
	group.Wait()
	return secrets, errors.Join(errs...)
}

// aheadFor takes out of the reserve the PINs that operations generate, while somebody waits for them.
func (a *App) aheadFor(ctx context.Context, r *Request, at []int) ([]change.Prepared, error) {
	count := 0
	for _, i := range at {
		if op := r.Operations[i]; change.Describe(op.Op).Secret == change.SecretPIN && !a.chosenPIN(op) {
			count++
		}
	}
	if count == 0 || r.asker() == "" {
		return nil, nil
	}
	return a.reserved(ctx, count)
}

// fromReserve returns the next PIN of the reserve that somebody of a staff number may have; none where there is none.
func (a *App) fromReserve(ahead *[]change.Prepared, number string, taken func(credential.Digest) bool) (change.Prepared,
	bool) {
	policy := a.Live().State().Settings.PINPolicy()
	for len(*ahead) > 0 {
		p := (*ahead)[0]
		if *ahead = (*ahead)[1:]; policy.Check(p.Plain, number) == nil && !taken(p.Digest) {
			return p, true
		}
	}
	return change.Prepared{}, false
}

// previewAt is what trying a change needs, at the moment at which it is made.
func (a *App) previewAt(r *Request) change.Env {
	env := a.preview()
	env.Present, env.Most, env.Own = r.Present, r.Most, r.Own
	if !r.At.IsZero() && r.Actor.System != "" {
		env.Now = r.At
	}
	return env
}

// slowHash is a slow hash as it is worked out: of a PIN, or of a password.
type slowHash struct {
	digest credential.Digest
	sealed []byte
	text   string
	err    error
}

// asker is who waits for the secrets of a change, and takes turns with others; empty where nobody does, as when a demo
// is loaded.
func (r *Request) asker() string {
	if r.Actor.Staff != 0 {
		return fmt.Sprint("staff ", r.Actor.Staff)
	}
	if strings.HasPrefix(r.Origin, linkOrigin) {
		return r.Origin
	}
	return ""
}

// slow has a slow hash worked out: in its turn, or at once where nobody waits.
func (a *App) slow(ctx context.Context, r *Request, job func() slowHash) (slowHash, error) {
	asker := r.asker()
	if asker == "" {
		hash := job()
		return hash, hash.err
	}
	hash, err := worked(ctx, a.hashing, forManagers, asker, job)
	return hash, errors.Join(err, hash.err)
}

func (a *App) slowPIN(ctx context.Context, r *Request, p *change.Prepared, pin string) error {
	hash, err := a.slow(ctx, r, func() slowHash {
		digest, sealed := a.pins.hash(pin)
		return slowHash{digest: digest, sealed: sealed}
	})
	p.Digest, p.Sealed = hash.digest, hash.sealed
	return err
}

func (a *App) slowPassword(ctx context.Context, r *Request, p *change.Prepared, password string) error {
	hash, err := a.slow(ctx, r, func() slowHash {
		text, err := HashPassword(password, a.pins.cost)
		return slowHash{text: text, err: err}
	})
	p.Hash = hash.text
	return err
}

func (a *App) prepareOne(ctx context.Context, r *Request, op *change.Operation, ahead *[]change.Prepared,
	taken func(credential.Digest) bool) (p change.Prepared, err error) {
	switch change.Describe(op.Op).Secret {
	case change.SecretPIN:
		var form change.PINForm
		if err := json.Unmarshal(op.Set, &form); err != nil {
			return p, fault.Invalidf("set", "%s", err)
		}
		if form.PIN != "" {
			err = a.slowPIN(ctx, r, &p, form.PIN)
			return p, err
		}
		if p, found := a.fromReserve(ahead, form.Staff, taken); found {
			return p, nil
		}
		for range 20 {
			state := a.Live().State()
			if p.Plain, err = credential.GeneratePIN(rand.Reader,
				credential.PINDigits(state.PINs(), state.Settings.PINDigits), state.Settings.PINPolicy(),
				form.Staff); err != nil {
				return p, err
			}
			if err := a.slowPIN(ctx, r, &p, p.Plain); err != nil {
				return p, err
			}
			if !taken(p.Digest) {
				return p, nil
			}
		}
		return p, errors.New("no free PIN was found")
	case change.SecretFirstPassword:
		if p.Plain, err = credential.GeneratePassword(rand.Reader); err != nil {
			return p, err
		}
		err = a.slowPassword(ctx, r, &p, p.Plain)
	case change.SecretPassword:
		var form change.PasswordForm
		if err := json.Unmarshal(op.Set, &form); err != nil {
			return p, fault.Invalidf("set", "%s", err)
		}
		err = a.slowPassword(ctx, r, &p, form.Password)
	}
	return p, err
}

// chosenPIN reports whether an operation sets a PIN that somebody chose.
func (a *App) chosenPIN(op change.Operation) bool {
	var form change.PINForm
	return change.Describe(op.Op).Secret == change.SecretPIN && json.Unmarshal(op.Set, &form) == nil && form.PIN != ""
}

// choosing counts, before it is known whether they are in use, PINs that somebody chooses: whoever finds one that is
// taken knows somebody's. It counts at whoever chooses, by a link at whose link it is.
func (a *App) choosing(ctx context.Context, r *Request, chosen int) error {
	if chosen == 0 || r.asker() == "" {
		return nil
	}
	whose := r.Actor.Staff
	if whose == 0 {
		whose = r.For
	}
	if err := pause(ctx, a.tries.slowed(false)); err != nil {
		return err
	}
	for range chosen {
		if err := a.count(ctx, a.tried(store.TryPIN, credential.ByChooser, "chooses", fmt.Sprint(whose))); err != nil {
			return err
		}
	}
	return nil
}

// pinInUse puts into the audit log that a chosen PIN was in use, which tells whoever chose it something.
func (a *App) pinInUse(ctx context.Context, r *Request, refused error) error {
	if r.asker() == "" {
		return refused
	}
	live := a.Live()
	entry := store.AuditEntry{At: a.now(), Action: "pin-refused", Actor: actorName(live, r.Actor), Origin: r.Origin,
		Summary: "Chose a PIN that is in use", Operations: "[]"}
	about := r.For
	if id := uint32(r.Actor.Staff); id != 0 {
		entry.ActorID, about = &id, r.Actor.Staff
	}
	if err := a.record(ctx, entry, []store.Subject{{Kind: "staff", Number: uint32(about)}}); err != nil {
		return err
	}
	return refused
}

// remember keeps PINs that were just issued as right, so that their first use costs nothing.
func (a *App) remember(r *Request, secrets map[int]change.Prepared) {
	for i, p := range secrets {
		if p.Plain != "" && change.Describe(r.Operations[i].Op).Secret == change.SecretPIN {
			a.pins.remember(p.Plain, p.Digest, true)
		}
	}
}
