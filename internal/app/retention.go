package app

import (
	"compress/gzip"
	"context"
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// keepEvery is how often it is looked for history that is past its time.
const keepEvery = time.Hour

// keepHistory removes, time and again, what is kept for no longer. It runs beside the other jobs, as archiving a month
// of events takes its time, and at one instance at a time.
func (a *App) keepHistory(ctx context.Context) {
	wait := 10 * time.Second
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		wait = keepEvery
		if err := a.RemoveHistory(ctx); err != nil && ctx.Err() == nil {
			a.troubles.Err(TroubleRetention, err)
		} else {
			a.troubles.Note(TroubleRetention, "")
		}
	}
}

// RemoveHistory removes events, entries of the audit log and photos that are past the time for which the settings keep
// them, after they are archived, where the settings say so. Another instance that does so does it for this one too.
func (a *App) RemoveHistory(ctx context.Context) error {
	_, err := a.store.Alone(ctx, "history", func() error {
		settings, now := a.Live().State().Settings, a.now().UTC()
		if settings.Archives && a.archive == "" && settings.EventsMonths+settings.AuditMonths > 0 {
			return errors.New("the settings say that history is archived before it is removed, and this instance " +
				"has no " +
				"--archive-folder; nothing is removed")
		}
		if settings.EventsMonths > 0 {
			if err := a.removeEvents(ctx, now.AddDate(0, -settings.EventsMonths, 0), settings.Archives); err != nil {
				return fmt.Errorf("events: %w", err)
			}
		}
		if settings.AuditMonths > 0 {
			if err := a.removeAudit(ctx, now.AddDate(0, -settings.AuditMonths, 0), settings.Archives); err != nil {
				return fmt.Errorf("audit log: %w", err)
			}
		}
		if settings.PhotoMonths > 0 {
			return a.removePhotos(ctx, now.AddDate(0, -settings.PhotoMonths, 0), now)
		}
		return nil
	})
	return err
}

const historyRemoved = "history-removed"

func (a *App) removal(what, archived string) store.AuditEntry {
	summary := "Removed " + what + ", as the settings say"
	if archived != "" {
		summary += "; archived as " + filepath.Base(archived)
	}
	return store.AuditEntry{At: a.now(), Action: historyRemoved, Actor: "loyald", Origin: "retention", Summary: summary,
		Operations: "[]"}
}

func (a *App) removeEvents(ctx context.Context, before time.Time, archives bool) error {
	months, err := a.store.EventMonths(ctx, before)
	if err != nil {
		return err
	}
	for _, month := range months {
		archived := ""
		if archives {
			if archived, err = a.archiveEvents(ctx, month); err != nil {
				return err
			}
		}
		entry := a.removal("the events from before "+month.Until.Format("2 January 2006")+" (%d)", archived)
		removed, err := a.store.RemoveEvents(ctx, []store.EventMonth{month}, entry)
		if err != nil {
			return err
		}
		if removed > 0 {
			a.log.Info("events past their time are removed", "events", removed, "before", month.Until, "archive",
				archived)
		}
	}
	return nil
}

func (a *App) removeAudit(ctx context.Context, before time.Time, archives bool) error {
	archived := ""
	if archives {
		var err error
		if archived, err = a.archiveAudit(ctx, before); err != nil || archived == "" {
			return err
		}
	}
	total := uint64(0)
	for {
		entry := a.removal("the entries of the audit log from before "+before.Format("2 January 2006")+" (%d)",
			archived)
		removed, err := a.store.RemoveAudit(ctx, before, entry)
		if err != nil {
			return err
		}
		if total += removed; removed == 0 {
			break
		}
	}
	if total > 0 {
		a.log.Info("entries of the audit log past their time are removed", "entries", total, "archive", archived)
	}
	return nil
}

// removePhotos removes the photos of those who left before a moment.
func (a *App) removePhotos(ctx context.Context, before, now time.Time) error {
	live := a.Live()
	var gone []uint32
	for _, p := range live.State().Staff.All() {
		if live.Status(p.ID, now.Unix()) == people.Left && p.SpanIn(live.Location(p.ID)).Gone <= before.Unix() {
			gone = append(gone, uint32(p.ID))
		}
	}
	removed, err := a.store.DropPhotos(ctx, gone)
	if removed > 0 {
		a.log.Info("photos of leavers are removed", "photos", removed)
	}
	return err
}

// archivedEvent is an event as it is archived, with what its numbers stand for.
type archivedEvent struct {
	ID         uint64 `json:"id"`
	At         string `json:"at"`
	Staff      string `json:"staff_number,omitempty"`
	Place      string `json:"place,omitempty"`
	Permission string `json:"permission,omitempty"`
	Device     uint32 `json:"device"`
	Allowed    bool   `json:"allowed"`
	Reason     uint8  `json:"reason"`
	Level      int32  `json:"level"`
	Revision   uint64 `json:"revision"`
	Shown      uint8  `json:"shown"`
}

// atOnce is how many rows are read at once to be archived.
const atOnce = 5000

func (a *App) archiveEvents(ctx context.Context, month store.EventMonth) (path string, err error) {
	live := a.Live()
	name := "events-until-" + month.Until.Format(time.DateOnly) + ".jsonl.gz"
	return a.archiveAs(name, func(w *json.Encoder) (rows int, err error) {
		for after := uint64(0); ; {
			list, err := a.store.EventsPage(ctx, after, month.UntilID, atOnce)
			if err != nil || len(list) == 0 {
				return rows, err
			}
			for i := range list {
				e := &list[i]
				one := archivedEvent{ID: e.ID, At: e.At.UTC().Format(time.RFC3339Nano), Device: e.DeviceID,
					Allowed: e.Allowed,
					Reason:  e.Reason, Level: e.Level, Revision: e.Revision, Shown: e.Shown}
				if p := live.State().Person(people.StaffID(e.StaffID)); p != nil {
					one.Staff = p.Number
				}
				if place := live.State().Place(estate.PlaceID(e.PlaceID)); place != nil {
					one.Place = place.Code
				}
				if p := live.Catalogue().Permission(permit.PermissionID(e.PermissionID)); p != nil {
					one.Permission = p.Key
				}
				if err := w.Encode(&one); err != nil {
					return rows, err
				}
				after = e.ID
			}
			rows += len(list)
			if rows%(100*atOnce) == 0 {
				a.log.Info("events are archived", "events", rows, "file", name)
			}
		}
	})
}

// archivedEntry is an entry of the audit log as it is archived: with its hashes, so that the chain can be followed.
type archivedEntry struct {
	ID         uint64          `json:"id"`
	At         string          `json:"at"`
	Action     string          `json:"action"`
	Actor      string          `json:"actor"`
	Origin     string          `json:"origin"`
	Reason     string          `json:"reason,omitempty"`
	Summary    string          `json:"summary"`
	Revision   uint64          `json:"revision"`
	Operations json.RawMessage `json:"operations"`
	Previous   string          `json:"previous"`
	Hash       string          `json:"hash"`
}

func (a *App) archiveAudit(ctx context.Context, before time.Time) (path string, err error) {
	first, err := a.store.AuditBefore(ctx, before, 0, 1)
	if err != nil || len(first) == 0 {
		return "", err
	}
	name := fmt.Sprintf("audit-from-%d-before-%s.jsonl.gz", first[0].ID, before.Format(time.DateOnly))
	return a.archiveAs(name, func(w *json.Encoder) (rows int, err error) {
		for after := first[0].ID - 1; ; {
			list, err := a.store.AuditBefore(ctx, before, after, atOnce)
			if err != nil || len(list) == 0 {
				return rows, err
			}
			for i := range list {
				e := &list[i]
				if err := w.Encode(archivedEntry{e.ID, e.At.UTC().Format(time.RFC3339Nano), e.Action, e.Actor, e.Origin,
					e.Reason, e.Summary, e.Revision, json.RawMessage(e.Operations), hex.EncodeToString(e.Previous),
					hex.EncodeToString(e.Hash)}); err != nil {
					return rows, err
				}
				after = e.ID
			}
			rows += len(list)
		}
	})
}

// archiveSeal stands beside an archive.
type archiveSeal struct {
	File      string `json:"file"`
	Rows      int    `json:"rows"`
	SHA256    string `json:"sha256"` // of the file
	Signature string `json:"signature"`
}

func (s archiveSeal) message() []byte {
	return fmt.Appendf(nil, "loyal latch archive\n%s\n%d\n%s\n", s.File, s.Rows, s.SHA256)
}

// archiveAs writes lines of JSON, compressed by gzip, into a file of the archive, and beside it a signature of it.
// path is empty where there
// was nothing to write. The
// file has its name only once it is whole; one that is there is written anew, as what it was of is still there.
func (a *App) archiveAs(name string, write func(*json.Encoder) (int, error)) (path string, err error) {
	path = filepath.Join(a.archive, name)
	part := path + ".part"
	file, err := os.OpenFile(part, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return "", fmt.Errorf("the archive cannot be written: %w", err)
	}
	sum := sha256.New()
	packed := gzip.NewWriter(io.MultiWriter(file, sum))
	rows, err := write(json.NewEncoder(packed))
	packedErr := packed.Close()
	synced := file.Sync()
	closed := file.Close()
	if err := errors.Join(err, packedErr, synced, closed); err != nil || rows == 0 { // of nothing there is no file
		removed := os.Remove(part)
		return "", errors.Join(err, removed)
	}
	seal := archiveSeal{File: name, Rows: rows, SHA256: hex.EncodeToString(sum.Sum(nil))}
	seal.Signature = hex.EncodeToString(ed25519.Sign(a.keys.sign, seal.message()))
	text, err := json.MarshalIndent(seal, "", "  ")
	if err != nil {
		return "", err
	}
	if err := os.WriteFile(path+".seal.json", append(text, '\n'), 0o600); err != nil {
		return "", err
	}
	return path, os.Rename(part, path)
}

// CheckArchive compares a file of the archive with its seal, and returns how many rows it has.
func (k *Keys) CheckArchive(path string) (rows int, err error) {
	text, err := os.ReadFile(path + ".seal.json")
	if err != nil {
		return 0, err
	}
	var seal archiveSeal
	if err := json.Unmarshal(text, &seal); err != nil {
		return 0, fmt.Errorf("%s is no seal of an archive: %w", path+".seal.json", err)
	}
	signature, err := hex.DecodeString(seal.Signature)
	if err != nil || !ed25519.Verify(k.sign.Public().(ed25519.PublicKey), seal.message(), signature) {
		return 0, errors.New("the seal of the archive was not made by this key")
	}
	file, err := os.Open(path)
	if err != nil {
		return 0, err
	}
	defer func() { _ = file.Close() }() // read only
	sum := sha256.New()
	if _, err := io.Copy(sum, file); err != nil {
		return 0, err
	}
	if hex.EncodeToString(sum.Sum(nil)) != seal.SHA256 {
		return 0, errors.New("the archive is not the file that its seal is of")
	}
	return seal.Rows, nil
}

// Kept is a kind of what is kept, and for how long.
type Kept struct {
	What    string
	For     string // how long
	Setting string // by which it is set; empty: it is fixed
	Table   string
	store.Amount
}

// keptKinds is what is kept beside the records, in which table, and for how long.
var keptKinds = []struct {
	what, table, dated, setting, fixed string
}{
	{"Events: decisions at doors and terminals", "events", "at", "events_months", ""},
	{"The audit log", "audit_entries", "at", "audit_months", ""},
	{"Photos and scans of certificates", "files", "kept_at", "photo_months", ""},
	{"Messages that were sent or given up", "mails", "made_at", "", "30 days"},
	{"Files of people that were brought in", "imports", "updated_at", "", "90 days"},
	{"Sessions, tokens and calendar addresses", "sessions", "expires_at", "", "30 days after their end"},
	{"Links that were sent", "links", "expires_at", "", "a day after their end"},
	{"Wrong passwords and PINs that were counted", "tries", "last_at", "", "a day"},
	{"Addresses that people have signed in from", "known_addresses", "last_at", "", "180 days after the last time"},
	{"Answers that are kept for repeats", "idempotency_keys", "created_at", "", "a day; secrets in them an hour"},
	{"When a PIN or badge was used last", "last_uses", "", "", "as long as the record"},
	{"The past of people's records", "staff", "", "retention_months", ""},
}

// KeptFor says what is kept and for how long, to those who read the audit log everywhere.
func (a *App) KeptFor(ctx context.Context, actor people.StaffID) ([]Kept, error) {
	live := a.Live()
	if !live.HoldsEverywhere(actor, permit.ReadAudit, a.now().Unix()) {
		return nil, fault.Refusedf("not-permitted",
			"This needs the permission “Read the audit log” everywhere, which you do not hold.")
	}
	tables := map[string]string{}
	for _, k := range keptKinds {
		tables[k.table] = k.dated
	}
	amounts, err := a.store.Amounts(ctx, tables)
	if err != nil {
		return nil, err
	}
	settings := live.State().Settings
	months := map[string]int{"events_months": settings.EventsMonths, "audit_months": settings.AuditMonths,
		"photo_months": settings.PhotoMonths, "retention_months": settings.RetentionMonths}
	var list []Kept
	for _, k := range keptKinds {
		one := Kept{What: k.what, For: k.fixed, Setting: k.setting, Table: k.table, Amount: amounts[k.table]}
		if k.setting != "" {
			one.For = "for good"
			if m := months[k.setting]; m > 0 {
				one.For = fmt.Sprintf("%d months", m)
			}
		}
		list = append(list, one)
	}
	return list, nil
}
