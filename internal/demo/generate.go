package demo

import (
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"math/rand/v2"
	"time"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/store"
)

// Size says how large a generated estate is.
type Size struct {
	Staff, Places, Assignments int
	Seed                       uint64
	PINs                       func(string) (credential.Digest, []byte) // how they are hashed; nil gives none
	Today                      day.Date
}

const (
	permissionsMade = 60
	templatesMade   = 40
	placesPerSite   = 100
)

// Common is the template that about half of the people have.
const Common permit.TemplateID = 1

// State makes an estate from a seed: the same seed and size make the same one. Person n has the PIN n, in eight digits.
func State(size Size) *org.State {
	random := rand.New(rand.NewPCG(size.Seed, 99))
	s := &org.State{Revision: 1, Settings: org.DefaultSettings()}
	s.Groups.Put(1, &permit.Group{ID: 1, Key: "work", Title: "Work", Revision: 1})
	s.Groups.Put(2, &permit.Group{ID: 2, Key: permit.ConsoleGroup, Title: "This console", Revision: 1})
	for i := range permissionsMade {
		id := permit.PermissionID(i + 1)
		kinds := []estate.Kind{estate.Site, estate.Zone, estate.Door}
		if i%3 != 0 {
			kinds = []estate.Kind{estate.Site, estate.Zone, estate.Device, estate.WorkCentre}
		}
		s.Permissions.Put(uint32(id), &permit.Permission{ID: id, Key: fmt.Sprintf("work.p%02d", id),
			Title: fmt.Sprintf("Do task %d", id), Sentence: "Does a task.",
			Group: 1, Scale: permit.Scale{Kind: permit.Switch}, Kinds: kinds, Since: uint32(id), Revision: 1})
	}
	for i, p := range permit.ConsolePermissions() {
		p.ID = permit.PermissionID(permissionsMade + i + 1)
		p.Group, p.Since, p.Revision = 2, uint32(p.ID), 1
		s.Permissions.Put(uint32(p.ID), &p)
	}
	weekly := hours.Access{Kind: hours.Weekly, Rules: []hours.Rule{{Days: hours.EveryDay, From: 0, Until: 24 * 60}}}
	for i := range templatesMade {
		t := &permit.Template{ID: permit.TemplateID(i + 1), Code: fmt.Sprintf("t%02d", i+1),
			Name: fmt.Sprintf("Work %d", i+1), Hours: weekly, Revision: 1}
		for id := permit.PermissionID(1); id <= permissionsMade; id++ {
			if random.IntN(3) == 0 || id == 1 {
				t.Settings = append(t.Settings, permit.Setting{Permission: id, Word: "yes"})
			}
		}
		s.Put(t)
	}
	places := makePlaces(s, size.Places)
	makePeople(s, size, random)
	for i := range size.Assignments {
		template := permit.TemplateID(random.IntN(templatesMade) + 1)
		if random.IntN(100) < 19 {
			template = Common
		}
		a := &org.Assignment{ID: org.AssignmentID(i + 1), Staff: people.StaffID(i%size.Staff + 1),
			Place:    places[random.IntN(len(places))],
			Template: template, From: size.Today - day.Date(random.IntN(300)),
			Until: size.Today + day.Date(30+random.IntN(300)), Revision: 1}
		s.Put(a)
	}
	return s
}

func makePlaces(s *org.State, count int) []estate.PlaceID {
	var all []estate.PlaceID
	add := func(p *estate.Place) estate.PlaceID {
		p.ID, p.Revision = estate.PlaceID(s.Places.Next()), 1
		s.Put(p)
		all = append(all, p.ID)
		return p.ID
	}
	root := add(&estate.Place{Code: app.RootCode, Name: "All sites", Kind: estate.Organisation,
		TimeZone: "Europe/Dublin"})
	for n := 0; len(all) < count; n++ {
		site := add(&estate.Place{Code: fmt.Sprintf("S%03d", n), Name: fmt.Sprintf("Site %d", n),
			Kind: estate.Site, TimeZone: "Europe/Dublin", Parent: root})
		zone := site
		for i := 1; i < placesPerSite && len(all) < count; i++ {
			code := fmt.Sprintf("%s-%02d", s.Place(site).Code, i)
			switch i % 5 {
			case 1:
				zone = add(&estate.Place{Code: code, Name: "Zone " + code, Kind: estate.Zone, Parent: site})
			case 2, 3:
				add(&estate.Place{Code: code, Name: "Door " + code, Kind: estate.Door, Parent: zone,
					Proof: estate.BadgeOrPIN, Asks: "work.p01"})
			case 4:
				add(&estate.Place{Code: code, Name: "Device " + code, Kind: estate.Device, Parent: zone,
					Asks: "work.p02"})
			default:
				add(&estate.Place{Code: code, Name: "Centre " + code, Kind: estate.WorkCentre, Parent: zone,
					Asks: "work.p03"})
			}
		}
	}
	return all
}

// siteNumber returns the number of the nth site as a place, from 0 on: the organisation comes first.
func siteNumber(n int) estate.PlaceID { return estate.PlaceID(n*placesPerSite + 2) }

var (
	givenNames = []string{"Ana", "Bram", "Ceri", "Dilip", "Ebba", "Farid", "Greta", "Hamza", "Ilse", "Joss", "Kofi",
		"Lena", "Mirek", "Nadia", "Oisín", "Petra", "Quang", "Rhea", "Søren", "Tamsin"}
	familyNames = []string{"Reyes", "Ostrow", "Penhal", "Varga", "Lindqvist", "Adeyo", "Marsh", "Okonjo", "Tolland",
		"Brannik", "Cosgrave", "Dvorský", "Eklund", "Farrow", "Górski"}
)

func makePeople(s *org.State, size Size, random *rand.Rand) {
	sites := (size.Places + placesPerSite - 2) / placesPerSite
	for i := range size.Staff {
		id := people.StaffID(i + 1)
		p := &people.Staff{ID: id, Number: fmt.Sprintf("G%06d", id),
			GivenName: givenNames[random.IntN(len(givenNames))],
			FamilyName: familyNames[random.IntN(len(familyNames))] +
				fmt.Sprintf(" %c%d", 'A'+rune(random.IntN(26)), i/500), JobTitle: "Hand", Engagement: people.Employee,
			HomeSite: siteNumber(random.IntN(sites)), StartDate: size.Today - 400, Owner: i == 0,
			Revision: 1}
		s.Put(p)
		if size.PINs != nil {
			digest, sealed := size.PINs(PIN(i + 1))
			s.Put(&credential.Credential{ID: credential.ID(id), Staff: id, Kind: credential.PIN,
				Digest: digest, Sealed: sealed, State: credential.Valid,
				IssuedAt: time.Unix(1_700_000_000, 0).UTC(), Revision: 1})
		}
	}
	for id := uint32(1); id <= 3; id++ {
		site := siteNumber(int(id) - 1)
		s.Put(&org.Device{ID: org.DeviceID(id), Name: fmt.Sprintf("Controller %d", id), Place: site,
			Token: sha256.Sum256([]byte(DeviceToken(int(id)))), Revision: 1})
	}
}

// PIN is the PIN of a generated person.
func PIN(n int) string { return fmt.Sprintf("%08d", n) }

// DeviceToken is the token of a generated device, 1 to 3; device n stands at site n-1.
func DeviceToken(n int) string { return fmt.Sprintf("lld_generated-%d", n) }

// cheap is the least that the hash can cost.
var cheap = app.Cost{Memory: 8, Passes: 1, Lanes: 1}

// OwnerPassword is the password of the generated owner, G000001.
const OwnerPassword = "measured quince lantern"

// Snapshot compiles a generated estate.
func Snapshot(size Size) (*access.Snapshot, error) { return access.Compile(State(size)) }

// Generate fills an empty database with a generated estate. It writes rows as they are, with no change and no audit
// entry: this is for measurements and for nothing else, and is refused on a database that holds anything.
// keyFolder is where its key file is, or is made. Its PINs are hashed at little cost: hundreds of thousands at the
// usual one would take hours.
func Generate(ctx context.Context, dsn, keyFolder string, size Size, progress io.Writer) error {
	db, err := store.Open(ctx, dsn)
	if err != nil {
		return err
	}
	defer func() { _ = db.Close() }()
	keys, err := app.Found(ctx, db, keyFolder, cheap)
	if err != nil {
		return err
	}
	db.SignWith(keys.SignHead)
	db.SealWith(keys.SealRecord)
	if _, err := db.SealAll(ctx); err != nil { // so that what follows is sealed as it is written
		return err
	}
	if size.PINs, err = app.HashPINs(ctx, db, keys); err != nil {
		return err
	}
	if size.Today.IsZero() {
		size.Today = day.Of(time.Now())
	}
	s := State(size)
	hash, err := app.HashPassword(OwnerPassword, app.StrongCost)
	if err != nil {
		return err
	}
	s.Put(&credential.Credential{ID: credential.ID(s.Credentials.Next()), Staff: 1, Kind: credential.Password,
		Hash: hash, State: credential.Valid,
		IssuedAt: time.Unix(1_700_000_000, 0).UTC(), Revision: 1})
	records := []change.Record{}
	put := func(value any) { records = append(records, change.Record{Value: value, New: true}) }
	for _, r := range s.Places.All() {
		put(r)
	}
	for _, r := range s.Groups.All() {
		put(r)
	}
	for _, r := range s.Permissions.All() {
		put(r)
	}
	for _, r := range s.Templates.All() {
		put(r)
	}
	for _, r := range s.Staff.All() {
		put(r)
	}
	for _, r := range s.Assignments.All() {
		put(r)
	}
	for _, r := range s.Credentials.All() {
		put(r)
	}
	for _, r := range s.Devices.All() {
		put(r)
	}
	fmt.Fprintf(progress, "writing %d records\n", len(records))
	return db.Change(ctx, time.Time{}, func(tx *store.Tx) error {
		if tx.Revision != 0 {
			return fmt.Errorf("this database holds something already; a large estate is generated into an empty one")
		}
		if err := tx.Save(records); err != nil {
			return err
		}
		_, err := tx.Audit(store.AuditEntry{At: time.Now(), Action: "change", Actor: "generator", Origin: "generator",
			Summary: "Generated an estate for measurements", Revision: 1, Operations: "[]"}, nil)
		return err
	})
}
