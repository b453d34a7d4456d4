package httpapi

import (
	"context"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/org"
	"loyallatch.example/latch/internal/core/permit"
)

func (s *Server) registerDevices() {
	route(s, "GET", "/devices", "list-devices", "devices", "Door controllers and terminals that may ask for decisions",
		Access{Permission: permit.ManageDevices}, func(ctx context.Context, in *Paging) (*listed[api.Device], error) {
			v := s.view(ctx)
			reach, _ := v.live.Reach(callerOf(ctx).id(), permit.ManageDevices, v.at.Unix())
			all, err := s.devicesThat(ctx, v, func(d *org.Device) bool { return access.InReach(reach, d.Place) })
			if err != nil {
				return nil, err
			}
			return pageOf(all, in)
		})
	type theirsIn struct {
		OneStaff
		Paging
	}
	route(s, "GET", "/staff/{id}/devices", "list-devices-of-staff", "staff",
		"Controllers and terminals that ask about somebody: those where they are assigned, and when each last asked",
		Access{Permission: permit.LockStaff}, func(ctx context.Context, in *theirsIn) (*listed[api.Device], error) {
			v := s.view(ctx)
			p, err := s.app.PersonWhole(callerOf(ctx).id(), in.ID)
			if err != nil {
				return nil, fault.Within("path.", err)
			}
			reach, _ := v.live.Reach(callerOf(ctx).id(), permit.LockStaff, v.at.Unix())
			all, err := s.devicesThat(ctx, v, func(d *org.Device) bool {
				return v.live.AsksAbout(d, p.ID) && access.InReach(reach, d.Place)
			})
			if err != nil {
				return nil, err
			}
			return pageOf(all, &in.Paging)
		})
	type addIn struct {
		Writing
		Body api.DeviceWrite
	}
	route(s, "POST", "/devices", "connect-device", "devices", "Connect a device; its token is shown this once",
		Access{Operation: "device.add"}, func(ctx context.Context, in *addIn) (*changed, error) {
			return s.write(ctx, in.Writing, in.Body.Reason,
				change.Operation{Op: "device.add",
					Set: set(map[string]string{"name": in.Body.Name, "place": in.Body.Place})})
		})
	route(s, "DELETE", "/devices/{id}", "retire-device", "devices", "Retire a device: it asks for nothing more",
		Access{Operation: "device.retire"}, func(ctx context.Context, in *ending) (*changed, error) {
			return s.write(ctx, in.Writing, in.Reason, change.Operation{Op: "device.retire", On: in.text()})
		})
}

// devicesThat returns chosen devices, with when each last asked.
func (s *Server) devicesThat(ctx context.Context, v view, chosen func(*org.Device) bool) ([]api.Device, error) {
	asked, err := s.app.LastAsked(ctx)
	if err != nil {
		return nil, err
	}
	all := []api.Device{}
	for _, d := range v.live.State().Devices.All() {
		if chosen(d) {
			all = append(all, api.Device{ID: uint32(d.ID), Name: d.Name, Place: v.placeRef(d.Place), Retired: d.Retired,
				LastAsked: moment(asked[uint32(d.ID)]), ETag: etag(d.Revision)})
		}
	}
	return all, nil
}
