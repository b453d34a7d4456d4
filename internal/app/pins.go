package app

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"hash"
	"sync"

	"golang.org/x/crypto/argon2"

	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/store"
)

// pins turns PINs into the digests that identify people. A PIN has a million values, so whoever holds a fast digest of
// it and the key has the PIN; the digest is therefore made of T = argon2id(PIN, salt of the organisation). The database
// keeps HMAC(T), by which a PIN is found, and T itself encrypted, from which digests for doors that decide offline are
// made. A PIN that was right once is remembered in memory, as an HMAC under a key made at start and stored nowhere, so
// that its next use costs a microsecond; first uses and wrong ones cost an argon2, which slows guessing by itself.
type pins struct {
	keys *Keys
	salt []byte
	cost Cost
	boot sync.Pool

	mu    sync.RWMutex
	known map[[32]byte]credential.Digest
}

// mostKnown bounds the memory that remembered PINs take.
const mostKnown = 400_000

func newPINs(keys *Keys, salt []byte, cost Cost) (*pins, error) {
	boot := make([]byte, 32)
	if _, err := rand.Read(boot); err != nil {
		return nil, err
	}
	return &pins{keys: keys, salt: salt, cost: cost, known: map[[32]byte]credential.Digest{},
		boot: sync.Pool{New: func() any { return hmac.New(sha256.New, boot) }}}, nil
}

func (p *pins) memory(pin string) (digest [32]byte) {
	mac := p.boot.Get().(hash.Hash)
	defer p.boot.Put(mac)
	mac.Reset()
	mac.Write([]byte(pin))
	mac.Sum(digest[:0])
	return digest
}

// remembered returns the digest of a PIN that was right before.
func (p *pins) remembered(pin string) (credential.Digest, bool) {
	name := p.memory(pin)
	p.mu.RLock()
	defer p.mu.RUnlock()
	digest, known := p.known[name]
	return digest, known
}

// remember keeps a PIN that was right, or forgets one that no longer is.
func (p *pins) remember(pin string, digest credential.Digest, right bool) {
	name := p.memory(pin)
	p.mu.Lock()
	defer p.mu.Unlock()
	switch {
	case !right:
		delete(p.known, name)
	case len(p.known) < mostKnown:
		p.known[name] = digest
	}
}

// hash works a PIN out: the slow part.
func (p *pins) hash(pin string) (digest credential.Digest, sealed []byte) {
	t := argon2.IDKey([]byte(pin), p.salt, p.cost.Passes, p.cost.Memory, p.cost.Lanes, hashSize)
	return p.keys.mac(forPINs, t), p.keys.seal(forPINSeal, t, nil)
}

// identify returns the credential that a PIN identifies; nil for one that is nobody's. It takes as long for every PIN:
// what is remembered is not asked. The asker takes turns with others at doors.
func (a *App) identify(ctx context.Context, asker, pin string) (*credential.Credential, error) {
	if !credential.IsPIN(pin) {
		return nil, nil // no PIN that was ever issued
	}
	digest, err := worked(ctx, a.hashing, forDoors, asker, func() credential.Digest {
		digest, _ := a.pins.hash(pin)
		return digest
	})
	if err != nil {
		return nil, err
	}
	c := a.Live().State().PINByDigest(digest)
	a.pins.remember(pin, digest, c != nil)
	return c, nil
}

// HashPINs returns how PINs of a database are hashed, for generating many at once.
func HashPINs(ctx context.Context, db *store.Store, keys *Keys) (func(pin string) (credential.Digest, []byte), error) {
	p, err := bound(ctx, db, keys)
	if err != nil {
		return nil, err
	}
	return p.hash, nil
}
