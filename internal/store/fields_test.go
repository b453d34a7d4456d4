package store_test

import (
	"context"
	"fmt"
	"reflect"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/core/card"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/credential"
	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/estate"
	"loyallatch.example/latch/internal/core/hours"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/people"
	"loyallatch.example/latch/internal/core/permit"
	"loyallatch.example/latch/internal/core/qualification"
	"loyallatch.example/latch/internal/store"
	"loyallatch.example/latch/internal/testkit"
)

// filling gives every field of a record a value of its own, one that is not zero, the second time another one.
type filling struct {
	n     int
	round int
	fixed map[reflect.Type]any // of types that do not take any value
}

func (f *filling) fill(t require.TestingT, v reflect.Value, path string) {
	f.n++
	if fixed, is := f.fixed[v.Type()]; is {
		v.Set(reflect.ValueOf(fixed))
		return
	}
	switch v.Kind() {
	case reflect.String:
		v.SetString(fmt.Sprintf("%s %d of %d", v.Type().Name(), f.n, f.round))
	case reflect.Bool:
		v.SetBool(f.round%2 == 0)
	case reflect.Int, reflect.Int32, reflect.Int64:
		v.SetInt(int64(100*f.round + f.n))
	case reflect.Uint8, reflect.Uint32, reflect.Uint64:
		v.SetUint(uint64(100*f.round+f.n) % 200)
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		f.fill(t, v.Elem(), path)
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		f.fill(t, v.Index(0), path)
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		value := reflect.New(v.Type().Elem()).Elem()
		f.fill(t, value, path)
		v.SetMapIndex(reflect.ValueOf("key"), value)
	case reflect.Array:
		for i := range v.Len() {
			f.fill(t, v.Index(i), path)
		}
	case reflect.Struct:
		for i := range v.NumField() {
			f.fill(t, v.Field(i), path+"."+v.Type().Field(i).Name)
		}
	default:
		require.Failf(t, "a kind of field that this test does not know", "%s is a %s", path, v.Kind())
	}
}

// fixed are values that the rules allow, of the fields that do not take any.
func fixed(round int) map[reflect.Type]any {
	first := time.Date(2026, 3, 1+round, 10, 20, 30, 0, time.UTC)
	weekly := hours.Access{Kind: hours.Weekly,
		Rules: []hours.Rule{{Days: 3, From: hours.Minute(60 * round), Until: 900}}}
	values := []any{first, day.Of(first), weekly, []string{[]string{"pin", "badge"}[round%2]},
		hours.Rule{Days: 3, From: 60, Until: hours.Minute(900 + round)},
		permit.Scale{Kind: permit.Limit, Unit: "kg", Most: permit.Level(40 + round)},
		permit.Setting{Permission: 1, Word: fmt.Sprint(round), AsOf: uint32(round)},
		[]hours.Dated{{Name: "d", From: day.Of(first), Until: day.Of(first) + 2,
			Rules: []hours.Rule{{Days: 1, From: 5, Until: 9}}}},
		estate.Zone, estate.BadgeAndPIN, people.Agency, people.ByAttempts, credential.Badge, credential.Suspended,
		org.Lost,
		estate.PlaceID(1 + round), qualification.ID(round), org.OnPaper, org.NoticeID(number), people.StaffID(round),
		permit.GroupID(round), permit.PermissionID(round),
		permit.TemplateID(round)}
	fixed := map[reflect.Type]any{}
	for _, value := range values {
		fixed[reflect.TypeOf(value)] = value
	}
	fixed[reflect.TypeOf(estate.Kinds)] = []estate.Kind{estate.Kinds[0], estate.Kinds[1+round]}
	return fixed
}

// number is what the new records of this test are numbered; no demo has as many.
const number = 90_000

// Every field of every record is kept: written new and written again, read whole, read as what is newer, and read from
// the history. A field that is added and forgotten on the way, of a record that is added too, fails here by its name.
func TestEveryFieldOfEveryRecordIsKept(t *testing.T) {
	service := testkit.Demo(t)
	state := reflect.TypeOf(org.State{})
	tried := 0
	for i := range state.NumField() {
		get, isTable := reflect.PointerTo(state.Field(i).Type).MethodByName("Get")
		if !isTable || !state.Field(i).IsExported() {
			continue
		}
		tried++
		record := get.Type.Out(0).Elem()
		t.Run(record.Name(), func(t *testing.T) {
			keepsEveryField(t, service, record, func(s *org.State) any {
				return get.Func.Call([]reflect.Value{reflect.ValueOf(s).Elem().Field(i).Addr(),
					reflect.ValueOf(uint32(number))})[0].Interface()
			})
		})
	}
	assert.GreaterOrEqual(t, tried, 10)
}

func keepsEveryField(t *testing.T, service *testkit.Service, kind reflect.Type, read func(*org.State) any) {
	for round := 1; round <= 2; round++ {
		before, err := service.Store.Load(ctx, &org.State{})
		require.NoError(t, err)
		wanted := reflect.New(kind)
		(&filling{round: round, fixed: fixed(round)}).fill(t, wanted.Elem(), kind.Name())
		wanted.Elem().FieldByName("ID").SetUint(number)
		suit(wanted.Interface(), round)
		require.NoError(t, service.Store.Change(ctx, time.Time{}, func(tx *store.Tx) error {
			wanted.Elem().FieldByName("Revision").SetUint(tx.Revision + 1)
			if err := tx.Save([]change.Record{{Value: wanted.Interface(), New: round == 1}}); err != nil {
				return err
			}
			_, err := tx.Audit(store.AuditEntry{At: time.Now(), Action: "change", Operations: "[]",
				Revision: tx.Revision + 1}, nil)
			return err
		}))
		whole, err := service.Store.Load(ctx, &org.State{})
		require.NoError(t, err)
		assert.Equal(t, wanted.Interface(), read(whole), "read whole, written the %d. time: %v", round,
			whole.AsideRecords())
		newer, err := service.Store.Load(ctx, before)
		require.NoError(t, err)
		assert.Equal(t, wanted.Interface(), read(newer), "read as newer")
		time.Sleep(5 * time.Millisecond)
		past, err := service.Store.LoadAt(context.Background(), time.Now(),
			store.PartOfPast{Staff: []uint32{1, 2, number}})
		require.NoError(t, err)
		assert.Equal(t, wanted.Interface(), read(past), "read from the history")
	}
}

// suit makes of a record one that the rules allow.
func suit(record any, round int) {
	switch r := record.(type) {
	case *org.Badge:
		r.Format, r.Number, r.Site = card.Wiegand26, fmt.Sprint("9-", round), 2
	case *estate.Place:
		r.Parent, r.TimeZone, r.Asks, r.Retired = estate.PlaceID(1+round), "", "", false
		r.ProofOutside = ""
		if round == 2 {
			r.Kind, r.Opening, r.Proof, r.ProofOutside = estate.Door, nil, estate.Badge, estate.BadgeAndPIN
		}
	case *permit.Group:
		r.Retired = false
	case *permit.Template:
		r.Hours = hours.Access{Kind: hours.ByPlace, BeforeMinutes: round, AfterMinutes: 30 + round}
	case *hours.Schedule:
		r.Hours = hours.Access{Kind: hours.Weekly, Rules: []hours.Rule{{Days: hours.EveryDay, From: 60,
			Until: hours.Minute(600 + round)}}}
	case *people.Staff:
		r.Hours = hours.Access{Kind: hours.BySchedule, Schedule: 1}
		r.Email = fmt.Sprintf("kept%d@quillmere.example", round)
		r.Owner = false
		r.ContractEnd = r.StartDate + 20
		r.Lock.Until = r.Lock.Since.Add(time.Hour)
	case *org.Notice:
		r.ID, r.Version = number, 2
		r.Past = []org.NoticeText{{Version: 1, Since: r.Since, Text: fmt.Sprint("Old ", round)}}
	case *org.Acceptance:
		r.Version = uint32(round)
	case *org.Member:
		r.Team = number // of the test before
	case *org.Certificate:
		r.Until = r.Issued + 9
	case *org.Assignment:
		r.Until = r.From + 9
	case *org.Exception:
		r.Until = r.From + 9
		if r.Level = 1; r.Withheld {
			r.Level = 0
		}
	case *org.Bar:
		r.Until = r.Since.Add(time.Hour)
	case *credential.Credential:
		r.Badge, r.Digest = number, credential.Digest{}
		r.Until = r.From.Add(time.Hour)
		if round == 2 {
			r.Kind, r.Badge, r.Digest = credential.PIN, 0, credential.Digest{byte(round)}
		}
	case *org.Device:
		r.Token[0] = byte(round)
	}
}
