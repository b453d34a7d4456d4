package app

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/hkdf"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"hash"
	"os"
	"path/filepath"
	"sync"

	"loyallatch.example/latch/internal/core/credential"
)

// Keys are the secrets that stand outside the database: whoever has the database alone can neither test PINs
// nor read kept answers. All instances on one database share them.
type Keys struct {
	pins sync.Pool // of keyed digests, ready to be used again
	csrf []byte
	seal cipher.AEAD
}

const keyFile = "latch.key"

// LoadKeys reads the key of a folder, and makes it at the first start, readable by its owner alone.
func LoadKeys(folder string) (*Keys, error) {
	path := filepath.Join(folder, keyFile)
	secret, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		if secret, err = makeKey(folder, path); err != nil {
			return nil, fmt.Errorf("the key file %s cannot be made: %w", path, err)
		}
	}
	if err != nil {
		return nil, fmt.Errorf("the key file %s cannot be read: %w", path, err)
	}
	if info, err := os.Stat(path); err == nil && info.Mode().Perm()&0o077 != 0 {
		return nil, fmt.Errorf("the key file %s can be read by others; run: chmod 600 %s", path, path)
	}
	if len(secret) != sha256.Size {
		return nil, fmt.Errorf("the key file %s is damaged: it has %d bytes instead of %d; restore it from a backup", path, len(secret), sha256.Size)
	}
	return keysFrom(secret)
}

func makeKey(folder, path string) ([]byte, error) {
	secret := make([]byte, sha256.Size)
	if _, err := rand.Read(secret); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, err
	}
	file, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return nil, err
	}
	_, err = file.Write(secret)
	return secret, errors.Join(err, file.Close())
}

func keysFrom(secret []byte) (*Keys, error) {
	derived := map[string][]byte{}
	for _, purpose := range []string{"pin", "csrf", "seal"} {
		key, err := hkdf.Key(sha256.New, secret, nil, "loyal latch "+purpose, 32)
		if err != nil {
			return nil, err
		}
		derived[purpose] = key
	}
	block, err := aes.NewCipher(derived["seal"])
	if err != nil {
		return nil, err
	}
	seal, err := cipher.NewGCMWithRandomNonce(block)
	if err != nil {
		return nil, err
	}
	return &Keys{pins: sync.Pool{New: func() any { return hmac.New(sha256.New, derived["pin"]) }}, csrf: derived["csrf"], seal: seal}, nil
}

// Digest is the keyed digest of a PIN or a badge number.
func (k *Keys) Digest(secret string) (digest credential.Digest) {
	mac := k.pins.Get().(hash.Hash)
	defer k.pins.Put(mac)
	mac.Reset()
	mac.Write([]byte(secret))
	mac.Sum(digest[:0])
	return digest
}

// CSRF is the token that goes with a console session: it proves that a request was made by a page that could read it.
func (k *Keys) CSRF(session []byte) []byte {
	mac := hmac.New(sha256.New, k.csrf)
	mac.Write(session)
	return mac.Sum(nil)
}

// Seal encrypts an answer that is kept; about binds it to the request it answers.
func (k *Keys) Seal(plain, about []byte) []byte { return k.seal.Seal(nil, nil, plain, about) }

// Unseal is the reverse of Seal.
func (k *Keys) Unseal(sealed, about []byte) ([]byte, error) {
	return k.seal.Open(nil, nil, sealed, about)
}
