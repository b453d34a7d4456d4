package app

import (
	"context"
	"errors"
	"time"

	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/picture"
	"loyallatch.example/latch/internal/store"
)

// A Filed is a record with a file that the actor may see, and whose it is.
type Filed struct {
	kind   store.FileKind
	record uint32
	staff  *people.Staff
	what   string
}

// PhotoOf names the photo of a person whom the actor sees whole.
func (a *App) PhotoOf(actor people.StaffID, reference string) (*Filed, error) {
	p, err := a.PersonWhole(actor, reference)
	if err != nil {
		return nil, err
	}
	return &Filed{store.Photo, uint32(p.ID), p, "the photo"}, nil
}

// ScanOf names the scan of a certificate of somebody whom the actor sees whole.
func (a *App) ScanOf(actor people.StaffID, id uint32) (*Filed, error) {
	live := a.Live()
	c := live.State().Certificate(org.CertificateID(id))
	if c == nil || a.ViewOf(live, actor, live.State().Person(c.Staff)) != access.Whole {
		return nil, fault.Missingf("path.id", "there is no certificate %d that you may see", id)
	}
	return &Filed{store.Scan, id, live.State().Person(c.Staff),
		"the scan of the certificate in " + live.State().Qualification(c.Qualification).Name}, nil
}

// File returns the file of what a Filed names; nil where it has none.
func (a *App) File(ctx context.Context, f *Filed) (*store.File, error) {
	return a.store.FileOf(ctx, f.kind, f.record)
}

// KeepFile keeps a file in the place of the one before, for somebody who edits the person's record.
func (a *App) KeepFile(ctx context.Context, actor people.StaffID, f *Filed, content []byte, origin string) error {
	if err := a.editsRecord(actor, f); err != nil {
		return err
	}
	mediaType := picture.JPEG
	var err error
	if f.kind == store.Photo {
		content, err = a.photo(ctx, content)
	} else {
		mediaType, err = picture.Scan(content)
	}
	if errors.Is(err, ErrBusy) {
		return err
	}
	if err != nil {
		return fault.Invalidf("body", "%s", err)
	}
	entry, subject := a.entryOf(actor, f, "file-kept", "Kept "+f.what, origin)
	return a.store.KeepFile(ctx, &store.File{Kind: f.kind, Record: f.record, MediaType: mediaType, Content: content,
		KeptBy: uint32(actor), KeptAt: a.now().UTC()}, entry, subject)
}

// photo draws a photo as it is kept, once there is room for what it unpacks to.
func (a *App) photo(ctx context.Context, content []byte) (kept []byte, err error) {
	weight, err := picture.Weight(content)
	if err != nil {
		return nil, err
	}
	err = a.Unpack(ctx, weight, func(context.Context) error {
		kept, err = picture.Photo(content)
		return err
	})
	return kept, err
}

// RemoveFile deletes a file for good.
func (a *App) RemoveFile(ctx context.Context, actor people.StaffID, f *Filed, origin string) error {
	if err := a.editsRecord(actor, f); err != nil {
		return err
	}
	entry, subject := a.entryOf(actor, f, "file-removed", "Removed "+f.what, origin)
	found, err := a.store.RemoveFile(ctx, f.kind, f.record, entry, subject)
	if err == nil && !found {
		return fault.Missingf("path.id", "there is no such file")
	}
	return err
}

// editsRecord asks that the actor may change the record of whose file it is. A photo shows who somebody is, so nobody
// changes their own.
func (a *App) editsRecord(actor people.StaffID, f *Filed) error {
	return change.MayEdit(a.Live().Snapshot, actor, f.staff, permit.EditStaff, a.now())
}

func (a *App) entryOf(actor people.StaffID, f *Filed, action, summary, origin string) (store.AuditEntry,
	store.Subject) {
	id := uint32(actor)
	return store.AuditEntry{At: a.now().UTC().Truncate(time.Second), Action: action, ActorID: &id,
			Actor: actorName(a.Live(), change.Actor{Staff: actor}), Origin: origin,
			Summary: summary + " of " + f.staff.Number + " " + f.staff.FullName(), Operations: "[]"},
		store.Subject{Kind: "staff", Number: uint32(f.staff.ID)}
}

// HasPhoto reports whether a photo of somebody is kept; not, where the database does not say.
func (a *App) HasPhoto(ctx context.Context, id people.StaffID) bool {
	have, err := a.store.WithFile(ctx, store.Photo, []uint32{uint32(id)})
	return err == nil && len(have) > 0
}

// Photos returns the photos of some people, by their numbers: for badges, to somebody who prints them.
func (a *App) Photos(ctx context.Context, ids []people.StaffID) (map[people.StaffID][]byte, error) {
	records := make([]uint32, len(ids))
	for i, id := range ids {
		records[i] = uint32(id)
	}
	files, err := a.store.FilesOf(ctx, store.Photo, records)
	photos := map[people.StaffID][]byte{}
	for _, f := range files {
		photos[people.StaffID(f.Record)] = f.Content
	}
	return photos, err
}

// WithScan returns which of some certificates have a scan.
func (a *App) WithScan(ctx context.Context, certificates []uint32) (map[uint32]bool, error) {
	have, err := a.store.WithFile(ctx, store.Scan, certificates)
	with := map[uint32]bool{}
	for _, id := range have {
		with[id] = true
	}
	return with, err
}
