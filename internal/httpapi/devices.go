package httpapi

import (
	"context"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/core/access"
	"loyallatch.example/latch/internal/core/change"
	"loyallatch.example/latch/internal/core/permit"
)

func (s *Server) registerDevices() {
	route(s, "GET", "/devices", "list-devices", "devices", "Door controllers and terminals that may ask for decisions",
		Access{Permission: permit.ManageDevices}, func(ctx context.Context, in *Paging) (*listed[api.Device], error) {
			v := s.view(ctx)
			all := []api.Device{}
			reach, _ := v.live.Reach(callerOf(ctx).id(), permit.ManageDevices, v.at.Unix())
			for _, d := range v.live.State().Devices.All() {
				if !access.InReach(reach, d.Place) {
					continue
				}
				all = append(all, api.Device{ID: uint32(d.ID), Name: d.Name, Place: v.placeRef(d.Place),
					Revoked: d.Revoked,
					ETag:    etag(d.Revision)})
			}
			return pageOf(all, in)
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
	route(s, "DELETE", "/devices/{id}", "disconnect-device", "devices", "Disconnect a device",
		Access{Operation: "device.revoke"}, func(ctx context.Context, in *ending) (*changed, error) {
			return s.write(ctx, in.Writing, in.Reason, change.Operation{Op: "device.revoke", On: in.text()})
		})
}
