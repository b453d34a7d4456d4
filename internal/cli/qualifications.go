package cli

import (
	"context"
	"fmt"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

func (s *session) qualificationCommand() *cobra.Command {
	c := noun("qualification", "What people may have to be qualified in, what requires it, and who is",
		s.qualificationList(), s.qualificationShow(), s.qualificationAdd(), s.qualificationEdit())
	c.AddCommand(retiring(s, "qualification", "FIRST-AID", s.completeQualifications(), s.qualification,
		func(of *api.Qualification) (code, name, etag string) { return of.Code, of.Name, of.ETag },
		"Retire a qualification: nobody is certified in it any more", "Bring a retired qualification back")...)
	return c
}

func (s *session) qualification(ctx context.Context, typed string) (*api.Qualification, error) {
	return find(ctx, s, "/qualifications", "q", typed, "qualification",
		func(q api.Qualification) (string, string) { return q.Code, q.Name })
}

func (s *session) completeQualifications() func(*cobra.Command, []string, string) ([]string,
	cobra.ShellCompDirective) {
	return complete(s, "/qualifications", "q", func(q api.Qualification) (string, string) { return q.Code, q.Name })
}

// requiresFlag adds the flag by which something requires qualifications; what it returns finds them where it was given.
func (s *session) requiresFlag(c *cobra.Command) func(ctx context.Context) (*[]string, error) {
	var required []string
	c.Flags().StringSliceVar(&required, "requires", nil, "qualifications that it requires; empty for none")
	completeFlag(c, "requires", s.completeQualifications())
	return func(ctx context.Context) (*[]string, error) {
		if !c.Flags().Changed("requires") {
			return nil, nil
		}
		codes := []string{}
		for _, typed := range required {
			q, err := s.qualification(ctx, typed)
			if err != nil {
				return nil, err
			}
			codes = append(codes, q.Code)
		}
		return &codes, nil
	}
}

func (s *session) qualificationList() *cobra.Command {
	var q string
	var retired bool
	listing := &cobra.Command{Use: "list", Short: "All qualifications: who holds each, and who lacks it",
		Args: cobra.NoArgs, Example: "  loyal qualification list\n  loyal qualification list --retired"}
	limit := limitFlag(listing, 500)
	listing.Flags().StringVar(&q, "search", "", "words of the name or the code")
	listing.Flags().BoolVar(&retired, "retired", false, "retired ones only")
	listing.RunE = func(c *cobra.Command, _ []string) error {
		return list(c.Context(), s, "/qualifications", *limit, []column[api.Qualification]{
			{"CODE", func(q api.Qualification) string { return q.Code }},
			{"NAME", func(q api.Qualification) string { return q.Name }},
			{"COUNTS FOR", func(q api.Qualification) string { return months(q.Months) }},
			{"HOLD IT", func(q api.Qualification) string { return fmt.Sprint(q.Holders) }},
			{"LACK IT", func(q api.Qualification) string { return fmt.Sprint(q.Missing) }},
			{"REQUIRED BY", requiredBy},
		}, client.Query("q", q), client.Query("retired", map[bool]string{true: "true"}[retired]))
	}
	return listing
}

func months(n int) string {
	if n == 0 {
		return "good"
	}
	return words.Count(n, "month", "months")
}

func requiredBy(q api.Qualification) string {
	var names []string
	for _, t := range q.Templates {
		names = append(names, t.Name)
	}
	for _, p := range q.Places {
		names = append(names, p.Code)
	}
	return strings.Join(names, ", ")
}

func (s *session) qualificationShow() *cobra.Command {
	return &cobra.Command{Use: "show QUALIFICATION", Short: "One qualification, and everybody's certificates in it",
		Args: cobra.ExactArgs(1), ValidArgsFunction: s.completeQualifications(),
		Example: "  loyal qualification show FORKLIFT", RunE: func(c *cobra.Command, args []string) error {
			q, err := s.qualification(c.Context(), args[0])
			if err != nil {
				return err
			}
			if s.output == "text" {
				s.line("Name", q.Name+" ("+q.Code+")")
				s.line("What it is", q.Summary)
				s.line("Counts for", months(q.Months))
				s.line("Required by", requiredBy(*q))
				s.line("Held by", words.Count(q.Holders, "person", "people"))
				s.line("Lacked by", words.Count(q.Missing, "person", "people"))
				fmt.Fprintln(s.out)
			}
			return s.certificates(c.Context(), everything, client.Query("qualification", q.Code))
		}}
}

func qualificationFlags(c *cobra.Command) func() api.QualificationFields {
	var f api.QualificationFields
	var count int
	fill := fieldFlags(c, []fieldFlag{{&f.Name, "name", "name"}, {&f.Summary, "summary", "what it is about"}})
	c.Flags().IntVar(&count, "months", 0, "for how long a certificate counts unless it says otherwise; 0 for good")
	return func() api.QualificationFields {
		if fill(); c.Flags().Changed("months") {
			f.Months = &count
		}
		return f
	}
}

func (s *session) qualificationAdd() *cobra.Command {
	add := &cobra.Command{Use: "add CODE --name NAME", Short: "Add a qualification", Args: cobra.ExactArgs(1),
		Example: "  loyal qualification add REACH --name 'Reach truck ticket' --months 36"}
	fields := qualificationFlags(add)
	add.RunE = func(c *cobra.Command, args []string) error {
		body := api.QualificationWrite{QualificationFields: fields()}
		body.Code, body.Reason = &args[0], s.reason
		_, err := s.write(c.Context(), "POST", "/qualifications", body, value(body.Name)+" is added.")
		return err
	}
	return add
}

func (s *session) qualificationEdit() *cobra.Command {
	edit := &cobra.Command{Use: "edit QUALIFICATION", Short: "Change a qualification", Args: cobra.ExactArgs(1),
		ValidArgsFunction: s.completeQualifications(), Example: "  loyal qualification edit HYGIENE --months 36"}
	fields := qualificationFlags(edit)
	edit.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --months")
		}
		q, err := s.qualification(c.Context(), args[0])
		if err != nil {
			return err
		}
		body := api.QualificationWrite{QualificationFields: fields()}
		body.Reason = s.reason
		_, err = s.write(c.Context(), "PATCH", "/qualifications/"+q.Code, body, q.Name+" is changed.",
			client.IfMatch(q.ETag))
		return err
	}
	return edit
}

func (s *session) certificateCommand() *cobra.Command {
	return noun("certificate", "Who is qualified in what, from when until when", s.certificateList(),
		s.certificateAdd(), s.certificateEdit(), s.certificateEnd())
}

func (s *session) certificates(ctx context.Context, most int, options ...client.Option) error {
	return list(ctx, s, "/certificates", most, []column[api.Certificate]{
		{"ID", func(c api.Certificate) string { return fmt.Sprint(c.ID) }},
		{"NUMBER", func(c api.Certificate) string { return c.Staff.StaffNumber }},
		{"NAME", func(c api.Certificate) string { return c.Staff.Name }},
		{"QUALIFICATION", func(c api.Certificate) string { return c.Qualification.Name }},
		{"CERTIFICATE", func(c api.Certificate) string { return c.Number }},
		{"ISSUED", func(c api.Certificate) string { return c.Issued }},
		{"UNTIL", func(c api.Certificate) string { return or(c.Until, "open") }},
		{"STATE", func(c api.Certificate) string { return strings.ReplaceAll(c.State, "_", " ") }},
	}, options...)
}

func (s *session) certificateList() *cobra.Command {
	var staff, qualification, state, site, q, sort string
	listing := &cobra.Command{Use: "list", Short: "Certificates, those that run out first first", Args: cobra.NoArgs,
		Example: "  loyal certificate list --staff Q0103\n  loyal certificate list --qualification FORKLIFT " +
			"--state run_out"}
	limit := limitFlag(listing, 500)
	listing.Flags().StringVar(&staff, "staff", "", "of this person")
	listing.Flags().StringVar(&qualification, "qualification", "", "in this qualification")
	listing.Flags().StringVar(&state, "state", "", "counts, later, run_out or withdrawn")
	listing.Flags().StringVar(&site, "site", "", "home site")
	listing.Flags().StringVar(&q, "search", "", "words of the name, or of the number on the certificate")
	listing.Flags().StringVar(&sort, "sort", "", "until, name or issued; - for descending")
	completeFlag(listing, "staff", s.completeStaff())
	completeFlag(listing, "qualification", s.completeQualifications())
	completeFlag(listing, "site", s.completePlaces())
	listing.RunE = func(c *cobra.Command, _ []string) error {
		if staff != "" {
			p, err := s.staff(c.Context(), staff)
			if err != nil {
				return err
			}
			staff = p.StaffNumber
		}
		if qualification != "" {
			found, err := s.qualification(c.Context(), qualification)
			if err != nil {
				return err
			}
			qualification = found.Code
		}
		return s.certificates(c.Context(), *limit, client.Query("staff", staff),
			client.Query("qualification", qualification), client.Query("state", state), client.Query("site", site),
			client.Query("q", q), client.Query("sort", sort))
	}
	return listing
}

// certificateFlags are the fields of a certificate, and the file that shows it.
func (s *session) certificateFlags(c *cobra.Command) (fields func() api.CertificateFields, scan *string) {
	var f api.CertificateFields
	fill := fieldFlags(c, []fieldFlag{{&f.Number, "number", "number on the certificate"},
		{&f.Issued, "issued", "first day on which it counts, such as 2026-03-02"},
		{&f.Until, "until", "last day on which it counts; empty for no end; as usual for the qualification where " +
			"left out"}})
	scan = c.Flags().String("scan", "", "file that shows it: PDF, PNG or JPEG")
	return func() api.CertificateFields { fill(); return f }, scan
}

// sendScan sends the scan of a certificate, once it is on record.
func (s *session) sendScan(ctx context.Context, id uint32, file string) error {
	if file == "" || s.preview || s.drafting {
		return nil
	}
	content, err := os.ReadFile(file)
	if err != nil {
		return usagef("%s", err)
	}
	return s.client.Send(ctx, fmt.Sprintf("/certificates/%d/scan", id), content)
}

func (s *session) certificateAdd() *cobra.Command {
	add := &cobra.Command{Use: "add STAFF QUALIFICATION --issued DATE", Args: cobra.ExactArgs(2),
		Short:             "Record that somebody is qualified in something",
		ValidArgsFunction: s.completeStaff(),
		Example: "  loyal certificate add Q0138 FORKLIFT --number FL-4410 --issued 2026-11-20\n" +
			"  loyal certificate add 'Mato Marsh' 'First aid' --issued 2026-10-01 --until 2028-09-30 --scan ticket.pdf"}
	fields, scan := s.certificateFlags(add)
	add.RunE = func(c *cobra.Command, args []string) error {
		p, err := s.staff(c.Context(), args[0])
		if err != nil {
			return err
		}
		q, err := s.qualification(c.Context(), args[1])
		if err != nil {
			return err
		}
		body := api.CertificateAdd{Qualification: q.Code, CertificateFields: fields()}
		if body.Issued == nil {
			return usagef("say on which day it was issued, such as --issued 2026-03-02")
		}
		body.Reason = s.reason
		result, err := s.write(c.Context(), "POST", "/staff/"+p.StaffNumber+"/certificates", body,
			fmt.Sprintf("%s is recorded for %s.", q.Name, fullName(p)))
		if err != nil || len(result.Made) == 0 {
			return err
		}
		return s.sendScan(c.Context(), result.Made[0].ID, *scan)
	}
	return add
}

func (s *session) certificateEdit() *cobra.Command {
	edit := &cobra.Command{Use: "edit ID", Short: "Change a certificate: its number, its dates or its scan",
		Args: cobra.ExactArgs(1), Example: "  loyal certificate edit 12 --until 2029-11-19"}
	fields, scan := s.certificateFlags(edit)
	edit.RunE = func(c *cobra.Command, args []string) error {
		if !changed(c) {
			return usagef("say what to change, such as --until")
		}
		id, err := recordNumber(args[0], "a certificate", "loyal certificate list")
		if err != nil {
			return err
		}
		body := api.CertificateWrite{CertificateFields: fields()}
		body.Reason = s.reason
		if body.CertificateFields != (api.CertificateFields{}) {
			if _, err = s.write(c.Context(), "PATCH", fmt.Sprint("/certificates/", id), body,
				"The certificate is changed."); err != nil {
				return err
			}
		}
		return s.sendScan(c.Context(), id, *scan)
	}
	return edit
}

func (s *session) certificateEnd() *cobra.Command {
	return &cobra.Command{Use: "end ID", Short: "Withdraw a certificate; it stays on record", Args: cobra.ExactArgs(1),
		Example: "  loyal certificate end 12 --reason 'ticket taken away after a near miss'",
		RunE: func(c *cobra.Command, args []string) error {
			id, err := recordNumber(args[0], "a certificate", "loyal certificate list")
			if err != nil {
				return err
			}
			_, err = s.write(c.Context(), "DELETE", fmt.Sprint("/certificates/", id), nil,
				"The certificate is withdrawn.",
				client.Query("reason", s.reason))
			return err
		}}
}

// recordNumber reads the number of a record that a list shows.
func recordNumber(typed, what, list string) (uint32, error) {
	number, err := strconv.ParseUint(typed, 10, 32)
	if err != nil {
		return 0, usagef("%q is not the number of %s; see %s", typed, what, list)
	}
	return uint32(number), nil
}
