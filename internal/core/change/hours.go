package change

import (
	"encoding/json"

	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/hours"
)

// hoursFrom reads access hours from a form; nothing sent keeps what is there.
func hoursFrom(raw json.RawMessage, into *hours.Access) error {
	if len(raw) == 0 {
		return nil
	}
	var read hours.Access
	if err := decode(raw, &read, "set.hours"); err != nil {
		return err
	}
	if err := read.Check(); err != nil {
		return fault.Invalidf("set.hours", "%s", err)
	}
	*into = read
	return nil
}
