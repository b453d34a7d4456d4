package change

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"io"

	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/words"
)

var deviceOperations = []Description{
	{Name: "device.add", Taken: true, Do: "Connect device", Done: "Connected device",
		Needs: permit.ManageDevices, Secret: SecretToken, Fields: deviceForm{}, Makes: "device",
		Undone: "device.retire",
		apply:  deviceAdd},
	{Name: "device.claim", Do: "Register terminal", Done: "Registered terminal", Own: true, Fields: claimForm{},
		apply: deviceClaim},
	{Name: "device.retire", Do: "Retire device", Done: "Retired device",
		Needs: permit.ManageDevices, Urgent: true, apply: deviceRetire},
}

type deviceForm struct {
	Name  string `json:"name"`
	Place string `json:"place"`
	Token string `json:"token"` // chosen by a system actor only; otherwise generated
}

func deviceAdd(t *Trial) error {
	var form deviceForm
	if err := t.form(&form); err != nil {
		return err
	}
	place, err := t.findPlace("set.place", form.Place)
	if err != nil {
		return err
	}
	if err := t.require(permit.ManageDevices, place.ID); err != nil {
		return err
	}
	name := words.Tidy(form.Name)
	if name == "" {
		return fault.Invalidf("set.name", "a device needs a name")
	}
	if err := bounded("name", name, 120); err != nil {
		return err
	}
	for _, other := range t.State.Devices.All() {
		if other.Name == name && !other.Retired {
			return fault.Takenf(t.holds(permit.ManageDevices, other.Place), "set.name", name,
				"a device %s is in use already", name)
		}
	}
	token := form.Token
	if token == "" || t.actor.System == "" {
		var random [32]byte
		if _, err := io.ReadFull(orRandom(t.env.Random), random[:]); err != nil {
			return err
		}
		token = DeviceTokenPrefix + base64.RawURLEncoding.EncodeToString(random[:])
	}
	t.Secrets = append(t.Secrets, Secret{Operation: t.index, Kind: "device_token", Owner: name, Value: token})
	// Of 256 random bits, which nobody guesses
	v := &org.Device{ID: org.DeviceID(t.State.Devices.Next()), Name: name, Place: place.ID,
		Token: sha256.Sum256([]byte(token)), AddedBy: t.actor.Staff}
	t.put(v)
	t.named(uint32(v.ID))
	return nil
}

type claimForm struct {
	Token string `json:"token"`
}

// deviceClaim gives a device that was made with a code the token that the tablet keeps. The service does it, for
// whoever typed the code.
func deviceClaim(t *Trial) error {
	var form claimForm
	if err := t.form(&form); err != nil {
		return err
	}
	before := t.State.Devices.Get(t.number(t.op.On))
	if t.actor.System == "" || before == nil || before.Retired {
		return fault.Missingf("on", "there is no terminal %q that waits to be registered", t.op.On)
	}
	v := *before
	v.Token, v.AddedBy = sha256.Sum256([]byte(form.Token)), 0 // the tablet alone knows it
	t.put(&v)
	return nil
}

// What begins the token of a device, and that which a tablet keeps as a shared terminal: one is recognised as such
// where
// it turns up, and serves for nothing that the other is for.
const (
	DeviceTokenPrefix   = "lld_"
	TerminalTokenPrefix = "llk_"
)

func orRandom(random io.Reader) io.Reader {
	if random == nil {
		return rand.Reader
	}
	return random
}

func deviceRetire(t *Trial) error {
	before := t.State.Devices.Get(t.number(t.op.On))
	if before == nil || !t.holds(permit.ManageDevices, before.Place) {
		return fault.Missingf("on", "there is no device %q that you may manage", t.op.On)
	}
	if err := t.fresh(before.Revision, before.Name); err != nil {
		return err
	}
	if before.Retired {
		return fault.Conflictf("on", "%s is retired already", before.Name)
	}
	v := *before
	v.Retired = true
	t.put(&v)
	return nil
}
