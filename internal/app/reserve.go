package app

import (
	"context"
	"crypto/rand"
	"time"

	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/store"
)

// A generated PIN costs a slow hash, so a reserve of them is generated and hashed while nobody waits. They stand sealed
// in the database, from which one is taken for each that is given to somebody, and never put back.

// PINReserve is how many PINs a service keeps in reserve.
const PINReserve = 2_000

// reservedAtOnce is how many are put in at once, and reserveEvery how often it is looked whether some are missing.
const (
	reservedAtOnce = 20
	reserveEvery   = 2 * time.Second
)

// fillReserve keeps so many PINs in reserve.
func (a *App) fillReserve(ctx context.Context, most int) {
	tick := time.NewTicker(reserveEvery)
	defer tick.Stop()
	for {
		if err := a.fill(ctx, most); err != nil && ctx.Err() == nil {
			a.log.Warn("the reserve of PINs is not filled", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// fill puts PINs into the reserve until there are so many.
func (a *App) fill(ctx context.Context, most int) error {
	for ctx.Err() == nil {
		within, done, err := a.Reach(ctx)
		if err != nil {
			return nil // it is said elsewhere that the database does not answer
		}
		state := a.Live().State()
		digits := credential.PINDigits(state.PINs(), state.Settings.PINDigits)
		there, err := a.store.Reserved(within, digits)
		done()
		if err != nil || int(there) >= most {
			return err
		}
		var lot []store.ReservedPIN
		for range min(reservedAtOnce, most-int(there)) {
			pin, err := credential.GeneratePIN(rand.Reader, digits, state.Settings.PINPolicy(), "")
			if err != nil {
				return err
			}
			hash, err := worked(ctx, a.hashing, aheadOfTime, "reserve", func() slowHash {
				digest, sealed := a.pins.hash(pin)
				return slowHash{digest: digest, sealed: sealed}
			})
			if err != nil {
				return err
			}
			if state.PINByDigest(hash.digest) == nil {
				lot = append(lot, store.ReservedPIN{Digest: hash.digest[:], Digits: digits, Sealed: hash.sealed,
					PIN: a.keys.seal(forReserve, []byte(pin), hash.digest[:])})
			}
		}
		if len(lot) == 0 {
			continue
		}
		if within, done, err = a.Reach(ctx); err != nil {
			return nil
		}
		err = a.store.Reserve(within, lot)
		done()
		if err != nil {
			return err
		}
	}
	return nil
}

// reserved takes PINs out of the reserve, at most so many.
func (a *App) reserved(ctx context.Context, most int) ([]change.Prepared, error) {
	state := a.Live().State()
	taken, err := a.store.TakeReserved(ctx, credential.PINDigits(state.PINs(), state.Settings.PINDigits), most)
	if err != nil {
		return nil, err
	}
	list := make([]change.Prepared, 0, len(taken))
	for _, one := range taken {
		pin, err := a.keys.open(forReserve, one.PIN, one.Digest)
		if err != nil { // an instance that still had the key of before put it in; another is generated
			a.log.Warn("a PIN of the reserve cannot be opened", "error", err)
			continue
		}
		list = append(list, change.Prepared{Plain: string(pin), Digest: credential.Digest(one.Digest),
			Sealed: one.Sealed})
	}
	return list, nil
}
