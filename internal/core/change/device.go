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
	{Name: "device.add", Do: "Connect device", Done: "Connected device",
		Needs: permit.ManageDevices, Secret: SecretToken, Fields: deviceForm{}, Undone: "device.revoke", apply: deviceAdd},
	{Name: "device.revoke", Do: "Disconnect device", Done: "Disconnected device",
		Needs: permit.ManageDevices, apply: deviceRevoke},
}

type deviceForm struct {
	Name  string `json:"name"`
	Place string `json:"place"`
	Token string `json:"token"` // chosen by a system actor only; otherwise generated
}

func deviceAdd(d *Trial) error {
	var form deviceForm
	if err := d.form(&form); err != nil {
		return err
	}
	place, err := d.findPlace("set.place", form.Place)
	if err != nil {
		return err
	}
	if err := d.require(permit.ManageDevices, place.ID); err != nil {
		return err
	}
	name := words.Tidy(form.Name)
	if name == "" {
		return fault.Invalidf("set.name", "a device needs a name")
	}
	if err := bounded("name", name, 120); err != nil {
		return err
	}
	for _, other := range d.State.Devices.All() {
		if other.Name == name && !other.Revoked {
			return fault.Conflictf("set.name", "a device %s is connected already", name)
		}
	}
	token := form.Token
	if token == "" || d.actor.System == "" {
		var random [32]byte
		if _, err := io.ReadFull(orRandom(d.env.Random), random[:]); err != nil {
			return err
		}
		token = DeviceTokenPrefix + base64.RawURLEncoding.EncodeToString(random[:])
	}
	d.Secrets = append(d.Secrets, Secret{Operation: d.index, Kind: "device_token", Owner: name, Value: token})
	v := &org.Device{ID: org.DeviceID(d.State.Devices.Next()), Name: name, Place: place.ID, Token: sha256.Sum256([]byte(token))} // of 256 random bits, which nobody guesses
	d.putDevice(v)
	d.named(uint32(v.ID))
	return nil
}

// DeviceTokenPrefix begins every device token, so that one is recognised as such where it turns up.
const DeviceTokenPrefix = "lld_"

func orRandom(random io.Reader) io.Reader {
	if random == nil {
		return rand.Reader
	}
	return random
}

func deviceRevoke(d *Trial) error {
	before := d.State.Devices.Get(d.number(d.op.On))
	if before == nil || !d.holds(permit.ManageDevices, before.Place) {
		return fault.Missingf("on", "there is no device %q that you may manage", d.op.On)
	}
	if err := d.fresh(before.Revision, before.Name); err != nil {
		return err
	}
	if before.Revoked {
		return fault.Conflictf("on", "%s is disconnected already", before.Name)
	}
	v := *before
	v.Revoked = true
	d.putDevice(&v)
	return nil
}
