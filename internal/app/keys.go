package app

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/ed25519"
	"crypto/hkdf"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
	"hash"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"loyallatch.example/latch/internal/store"
)

// Keys are the secrets that stand outside the database. Each purpose has a key of its own, derived from the one in the
// key file, so that a digest made for one says nothing to another. All instances on one database share the file.
type Keys struct {
	secret []byte
	macs   map[purpose]*sync.Pool // of keyed digests, ready to be used again
	seals  map[purpose]cipher.AEAD
	sign   ed25519.PrivateKey
	// The database has taken them in a rotation that was cut short
	unfinished bool
}

type purpose string

// The purposes.
const (
	forPINs     purpose = "pin"      // finding a PIN by its slow hash
	forPINSeal  purpose = "pin seal" // the slow hash itself, for the digests of doors that decide offline
	forCSRF     purpose = "csrf"
	forAnswers  purpose = "seal"     // answers kept under idempotency keys
	forRequests purpose = "request"  // the requests that those answer
	forTries    purpose = "tries"    // names and addresses at which wrong tries are counted
	forAudit    purpose = "audit"    // signing the head of the audit log
	forLinks    purpose = "link"     // codes and links that are used once
	forActs     purpose = "act"      // urgent acts that wait for their turn
	forNewPINs  purpose = "new pins" // PINs of an import, until they are handed out
	forHanding  purpose = "handing"  // secrets that a change generated, until they can have been received
	forReserve  purpose = "reserve"  // PINs that are generated ahead of time
	forSeals    purpose = "seals"    // records, as changes have written them
	forCheck    purpose = "check"    // binding a database to its key file
)

const (
	keyFile  = "latch.key"
	nextFile = "latch.key.next"
)

// ErrNoKey says that a folder holds no key file.
var ErrNoKey = errors.New("there is no key file")

// LoadKeys reads the key of a folder, or of a file that is the key itself, such as one that is handed over as an open
// file (/dev/fd/3). It makes none: a new key would make all PINs unknown.
func LoadKeys(folder string) (*Keys, error) {
	path := folder
	if info, err := os.Stat(folder); err != nil || info.IsDir() {
		path = filepath.Join(folder, keyFile)
	}
	secret, err := readKey(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("%w at %s: restore it from a backup, or run loyald setup on an empty database, which "+
			"makes one; where it is lost, see loyald keys replace --lost", ErrNoKey, path)
	}
	if err != nil {
		return nil, err
	}
	return keysFrom(secret)
}

func readKey(path string) ([]byte, error) {
	secret, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("the key file %s cannot be read: %w", path, err)
	}
	if info, err := os.Stat(path); err == nil && info.Mode().IsRegular() && info.Mode().Perm()&0o077 != 0 {
		return nil, fmt.Errorf("the key file %s can be read by others; run: chmod 600 %s", path, path)
	}
	if len(secret) != sha256.Size {
		return nil, fmt.Errorf("the key file %s is damaged: it has %d bytes instead of %d; restore it from a backup",
			path, len(secret), sha256.Size)
	}
	return secret, nil
}

// MakeKeys reads the key of a folder, and makes one, readable by its owner alone, where there is none: for setting up
// an organisation and for nothing else.
func MakeKeys(folder string) (*Keys, error) {
	keys, err := LoadKeys(folder)
	if !errors.Is(err, ErrNoKey) {
		return keys, err
	}
	secret, err := writeKey(folder, keyFile)
	if err != nil {
		return nil, err
	}
	return keysFrom(secret)
}

func writeKey(folder, name string) ([]byte, error) {
	secret := make([]byte, sha256.Size)
	if _, err := rand.Read(secret); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, fmt.Errorf("the key folder %s cannot be made: %w", folder, err)
	}
	path := filepath.Join(folder, name)
	file, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return nil, fmt.Errorf("the key file %s cannot be made: %w", path, err)
	}
	_, err = file.Write(secret)
	return secret, errors.Join(err, file.Sync(), file.Close())
}

func keysFrom(secret []byte) (*Keys, error) {
	k := &Keys{secret: secret, macs: map[purpose]*sync.Pool{}, seals: map[purpose]cipher.AEAD{}}
	derive := func(p purpose) ([]byte, error) {
		return hkdf.Key(sha256.New, secret, nil, "loyal latch "+string(p), 32)
	}
	for _, p := range []purpose{forPINs, forCSRF, forRequests, forTries, forLinks, forCheck, forActs,
		forSeals} {
		key, err := derive(p)
		if err != nil {
			return nil, err
		}
		k.macs[p] = &sync.Pool{New: func() any { return hmac.New(sha256.New, key) }}
	}
	for _, p := range []purpose{forAnswers, forPINSeal, forNewPINs, forHanding, forReserve} {
		key, err := derive(p)
		if err != nil {
			return nil, err
		}
		block, err := aes.NewCipher(key)
		if err != nil {
			return nil, err
		}
		if k.seals[p], err = cipher.NewGCMWithRandomNonce(block); err != nil {
			return nil, err
		}
	}
	seed, err := derive(forAudit)
	if err != nil {
		return nil, err
	}
	k.sign = ed25519.NewKeyFromSeed(seed)
	return k, nil
}

// mac is the keyed digest of something for a purpose; parts stand apart, so that no two lists of them run together
// alike.
func (k *Keys) mac(p purpose, parts ...[]byte) (digest [32]byte) {
	mac := k.macs[p].Get().(hash.Hash)
	defer k.macs[p].Put(mac)
	mac.Reset()
	var length [8]byte
	for _, part := range parts {
		binary.BigEndian.PutUint64(length[:], uint64(len(part)))
		mac.Write(length[:])
		mac.Write(part)
	}
	mac.Sum(digest[:0])
	return digest
}

// Request is the digest of a request that is kept with an idempotency key.
func (k *Keys) Request(parts ...[]byte) []byte {
	digest := k.mac(forRequests, parts...)
	return digest[:]
}

// CSRF is the token that goes with a console session: it proves that a request was made by a page that could read it.
func (k *Keys) CSRF(session []byte) []byte {
	digest := k.mac(forCSRF, session)
	return digest[:]
}

// check is the value in the database by which it knows its key file.
func (k *Keys) check() []byte {
	digest := k.mac(forCheck, []byte("this database belongs to this key"))
	return digest[:]
}

// seal encrypts for a purpose; about binds it to what it is about.
func (k *Keys) seal(p purpose, plain, about []byte) []byte {
	return k.seals[p].Seal(nil, nil, plain, about)
}

// open is the reverse of seal.
func (k *Keys) open(p purpose, sealed, about []byte) ([]byte, error) {
	return k.seals[p].Open(nil, nil, sealed, about)
}

// SealRecord makes the keyed digest by which a record is known as the service has written it.
func (k *Keys) SealRecord(parts ...[]byte) []byte {
	digest := k.mac(forSeals, parts...)
	return digest[:]
}

// SignHead signs the head of the audit log: how many entries it has and the hash of the last.
func (k *Keys) SignHead(head store.Head) []byte { return ed25519.Sign(k.sign, head.Message()) }

// VerifyHead reports whether this key has signed a head.
func (k *Keys) VerifyHead(head store.Head, signature []byte) bool {
	return ed25519.Verify(k.sign.Public().(ed25519.PublicKey), head.Message(), signature)
}

// SignBackup signs what a manifest of a backup says.
func (k *Keys) SignBackup(message []byte) []byte { return ed25519.Sign(k.sign, message) }

// VerifyBackup reports whether this key has signed what a manifest of a backup says.
func (k *Keys) VerifyBackup(message, signature []byte) bool {
	return ed25519.Verify(k.sign.Public().(ed25519.PublicKey), message, signature)
}

// ErrEmpty says that a database holds no organisation.
var ErrEmpty = errors.New("this database is empty: make an organisation in it with loyald setup")

// KeysFor returns the keys of a folder for a database. Where a rotation was cut short after the database took the new
// key, it is the new one, which stands beside the old one until FinishRotation: a service may not be allowed to write
// where its key stands.
func KeysFor(ctx context.Context, db *store.Store, folder string) (*Keys, error) {
	binding, err := db.Binding(ctx)
	switch {
	case err != nil:
		return nil, err
	case binding.KeyCheck == nil && binding.Revision == 0:
		return nil, ErrEmpty
	}
	keys, err := LoadKeys(folder)
	if err == nil && (binding.KeyCheck == nil || hmac.Equal(binding.KeyCheck, keys.check())) {
		return keys, nil
	}
	if renewed := nextKeys(folder); renewed != nil && hmac.Equal(binding.KeyCheck, renewed.check()) {
		return renewed, nil
	}
	return keys, err // starting says where it is the wrong one
}

// KeysOf is KeysFor, and ErrOtherKey where they do not belong to the database.
func KeysOf(ctx context.Context, db *store.Store, folder string) (*Keys, error) {
	keys, err := KeysFor(ctx, db, folder)
	if err != nil {
		return nil, err
	}
	binding, err := db.Binding(ctx)
	if err != nil {
		return nil, err
	}
	if binding.KeyCheck != nil && !hmac.Equal(binding.KeyCheck, keys.check()) {
		return nil, ErrOtherKey
	}
	return keys, nil
}

// nextKeys are the keys of a rotation that was cut short; nil: there is none.
func nextKeys(folder string) *Keys {
	secret, err := readKey(filepath.Join(folder, nextFile))
	if err != nil {
		return nil
	}
	keys, err := keysFrom(secret)
	if err != nil {
		return nil
	}
	keys.unfinished = true
	return keys
}

// Unfinished reports whether these are the keys of a rotation that was cut short.
func (k *Keys) Unfinished() bool { return k.unfinished }

// FinishRotation puts the new key in the place of the old one, where a rotation was cut short after the database took
// it; done reports whether it was. A new key that the database did not take is removed.
func FinishRotation(ctx context.Context, db *store.Store, folder string) (done bool, err error) {
	next := filepath.Join(folder, nextFile)
	if _, err := os.Stat(next); err != nil {
		return false, nil
	}
	keys, err := KeysFor(ctx, db, folder)
	if err != nil {
		return false, err
	}
	if !keys.unfinished {
		return false, os.Remove(next)
	}
	return true, os.Rename(next, filepath.Join(folder, keyFile))
}

// Found returns the keys for setting up an organisation: on an empty database that belongs to no key file yet, one is
// made where there is none, and the database bound to it. On any other database it is KeysFor.
func Found(ctx context.Context, db *store.Store, folder string, cost Cost) (*Keys, error) {
	binding, err := db.Binding(ctx)
	if err != nil {
		return nil, err
	}
	if binding.KeyCheck != nil || binding.Revision > 0 {
		return KeysFor(ctx, db, folder)
	}
	held, err := db.HoldsRows(ctx)
	if err != nil {
		return nil, err
	}
	if len(held) > 0 {
		return nil, fmt.Errorf("%w: there is no organisation, but there are rows in %s; restore a whole backup into "+
			"an "+
			"empty schema, or name an empty one", store.ErrHalf, strings.Join(held, ", "))
	}
	keys, err := MakeKeys(folder)
	if err != nil {
		return nil, err
	}
	return keys, Bind(ctx, db, keys, cost)
}

// Rotate gives a database a new key file in place of the one in a folder. Everything that the old key protects is
// renewed; PINs and passwords go on counting, and answers kept for repeats are forgotten. A PIN that the old key cannot
// read is withdrawn; lost says how many. Running instances notice and refuse to go on until they are started again.
func Rotate(ctx context.Context, db *store.Store, folder string) (lost int, err error) {
	if _, err := FinishRotation(ctx, db, folder); err != nil {
		return 0, err
	}
	old, err := KeysFor(ctx, db, folder)
	if err != nil {
		return 0, err
	}
	if _, err := bound(ctx, db, old); err != nil {
		return 0, err
	}
	if _, err := db.VerifyAudit(ctx, old.VerifyHead); err != nil {
		return 0, fmt.Errorf("the key is not rotated, as the new one would sign a log that is not whole: %w", err)
	}
	return rekey(ctx, db, folder, func(renewed *Keys) store.Rekeying {
		return store.Rekeying{Was: old.check(), Action: "keys-rotated", Origin: "loyald keys rotate",
			Says: "Rotated the key", Why: "Their key was lost",
			Renew: func(pin *store.SealedPIN) bool {
				t, err := old.open(forPINSeal, pin.Sealed, nil)
				if err != nil {
					return false
				}
				digest := renewed.mac(forPINs, t)
				pin.Sealed, pin.Digest = renewed.seal(forPINSeal, t, nil), digest[:]
				return true
			}}
	})
}

// ErrKeyThere says that a key is not lost.
var ErrKeyThere = errors.New("the key is not lost")

// ReplaceLost gives a database a new key whose key file is lost, and returns how many people had a PIN that counts no
// more: nobody can read it. A log whose chain is broken gets none, as the new key would sign it.
func ReplaceLost(ctx context.Context, db *store.Store, folder string) (lost int, err error) {
	binding, err := db.Binding(ctx)
	switch {
	case err != nil:
		return 0, err
	case binding.KeyCheck == nil:
		return 0, ErrEmpty
	}
	keys, err := KeysFor(ctx, db, folder)
	switch {
	case err == nil && hmac.Equal(binding.KeyCheck, keys.check()):
		return 0, fmt.Errorf("%w: the one in %s belongs to this database; keys rotate replaces it, and nobody loses "+
			"their PIN", ErrKeyThere, folder)
	case err == nil:
		return 0, fmt.Errorf("the key in %s is that of another database: move it away, or name another folder", folder)
	case !errors.Is(err, ErrNoKey):
		return 0, err
	}
	if _, err := db.VerifyAudit(ctx, nil); err != nil {
		return 0, fmt.Errorf("the key is not replaced, as the new one would sign a log that is not whole: %w", err)
	}
	return rekey(ctx, db, folder, func(*Keys) store.Rekeying {
		return store.Rekeying{Action: "key-replaced", Origin: "loyald keys replace",
			Says: "Replaced the key, which was lost",
			Why:  "The key was lost", Renew: func(*store.SealedPIN) bool { return false }}
	})
}

// rekey makes a new key beside the old one, lets the database take it, and puts it in the place of the old one.
func rekey(ctx context.Context, db *store.Store, folder string, how func(renewed *Keys) store.Rekeying) (int, error) {
	next := filepath.Join(folder, nextFile)
	if err := os.Remove(next); err != nil && !errors.Is(err, os.ErrNotExist) {
		return 0, err
	}
	secret, err := writeKey(folder, nextFile)
	if err != nil {
		return 0, err
	}
	renewed, err := keysFrom(secret)
	if err != nil {
		return 0, err
	}
	k := how(renewed)
	k.Becomes, k.Sign, k.Seal = renewed.check(), renewed.SignHead, renewed.SealRecord
	lost, err := db.Rekey(ctx, k)
	if err != nil {
		return 0, errors.Join(err, os.Remove(next))
	}
	return len(lost), os.Rename(next, filepath.Join(folder, keyFile))
}

// BackUpKey copies the key of a folder into a file that its owner alone may read, sees that the copy is whole, and
// notes
// in the database that there is one. A file that is there already is left alone.
func BackUpKey(ctx context.Context, db *store.Store, folder, path string) error {
	keys, err := KeysFor(ctx, db, folder)
	if err != nil {
		return err
	}
	if _, err := bound(ctx, db, keys); err != nil {
		return err
	}
	file, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return fmt.Errorf("the backup of the key cannot be made: %w", err)
	}
	_, err = file.Write(keys.secret)
	synced := file.Sync()
	closed := file.Close()
	if err := errors.Join(err, synced, closed); err != nil {
		return fmt.Errorf("the backup of the key cannot be written: %w", err)
	}
	if _, err := readKey(path); err != nil {
		return err
	}
	return db.BackedUp(ctx, time.Now())
}
