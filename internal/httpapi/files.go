package httpapi

import (
	"context"
	"fmt"

	"loyallatch.example/latch/internal/app"
	"loyallatch.example/latch/internal/core/fault"
	"loyallatch.example/latch/internal/core/permit"
)

// kept is a file as it is handed out: never to be run, and by no cache kept.
type kept struct {
	Type        string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Sniff       string `header:"X-Content-Type-Options"`
	Policy      string `header:"Content-Security-Policy"`
	Body        []byte
}

// registerFiles registers photos of people and scans of certificates.
func (s *Server) registerFiles() {
	type content struct {
		RawBody []byte `contentType:"application/octet-stream"`
	}
	type photoIn struct {
		OneStaff
		content
	}
	type scanIn struct {
		OneNumber
		content
	}
	photo := func(ctx context.Context, id string) (*app.Filed, error) {
		return s.app.PhotoOf(callerOf(ctx).id(), id)
	}
	scan := func(ctx context.Context, in OneNumber) (*app.Filed, error) {
		return s.app.ScanOf(callerOf(ctx).id(), in.ID)
	}
	seen, edited := Access{Permission: permit.ViewStaff}, Access{Permission: permit.EditStaff, File: true}
	route(s, "GET", "/staff/{id}/photo", "get-photo", "staff", "The photo of somebody, as JPEG", seen,
		func(ctx context.Context, in *OneStaff) (*kept, error) {
			f, err := photo(ctx, in.ID)
			return s.fileOf(ctx, f, err, "photo.jpg")
		})
	route(s, "PUT", "/staff/{id}/photo", "put-photo", "staff",
		"Keep a photo of somebody, sent as JPEG or PNG of at most 3 MiB; it is cut to 3 by 4 and made small", edited,
		func(ctx context.Context, in *photoIn) (*struct{}, error) {
			f, err := photo(ctx, in.ID)
			return s.keepFile(ctx, f, err, in.RawBody)
		})
	route(s, "DELETE", "/staff/{id}/photo", "delete-photo", "staff", "Delete the photo of somebody for good",
		Access{Permission: permit.EditStaff}, func(ctx context.Context, in *OneStaff) (*struct{}, error) {
			f, err := photo(ctx, in.ID)
			return s.removeFile(ctx, f, err)
		})
	route(s, "GET", "/certificates/{id}/scan", "get-scan", "qualifications", "The scan of a certificate", seen,
		func(ctx context.Context, in *OneNumber) (*kept, error) {
			f, err := scan(ctx, *in)
			return s.fileOf(ctx, f, err, fmt.Sprintf("certificate-%d", in.ID))
		})
	route(s, "PUT", "/certificates/{id}/scan", "put-scan", "qualifications",
		"Keep a scan of a certificate, sent as PDF, JPEG or PNG of at most 3 MiB", edited,
		func(ctx context.Context, in *scanIn) (*struct{}, error) {
			f, err := scan(ctx, in.OneNumber)
			return s.keepFile(ctx, f, err, in.RawBody)
		})
	route(s, "DELETE", "/certificates/{id}/scan", "delete-scan", "qualifications",
		"Delete the scan of a certificate for good", Access{Permission: permit.EditStaff},
		func(ctx context.Context, in *OneNumber) (*struct{}, error) {
			f, err := scan(ctx, *in)
			return s.removeFile(ctx, f, err)
		})
}

func (s *Server) fileOf(ctx context.Context, f *app.Filed, err error, name string) (*kept, error) {
	if err != nil {
		return nil, err
	}
	file, err := s.app.File(ctx, f)
	switch {
	case err != nil:
		return nil, err
	case file == nil:
		return nil, fault.Missingf("path.id", "there is no such file")
	}
	return &kept{Type: file.MediaType, Disposition: fmt.Sprintf("inline; filename=%q", name), Sniff: "nosniff",
		Policy: "default-src 'none'; sandbox", Body: file.Content}, nil
}

func (s *Server) keepFile(ctx context.Context, f *app.Filed, err error, content []byte) (*struct{}, error) {
	if err != nil {
		return nil, err
	}
	c := callerOf(ctx)
	return nil, s.app.KeepFile(ctx, c.id(), f, content, c.origin())
}

func (s *Server) removeFile(ctx context.Context, f *app.Filed, err error) (*struct{}, error) {
	if err != nil {
		return nil, err
	}
	c := callerOf(ctx)
	return nil, s.app.RemoveFile(ctx, c.id(), f, c.origin())
}
