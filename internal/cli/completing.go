package cli

import (
	"regexp"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/core/words"
)

// oneOf is how the help of a flag says the words that it takes: "allow or refuse", "what it asks: pin, badge".
var oneOf = regexp.MustCompile(
	`^(?:[^:,]*: |all )?([a-z0-9_-]+(?:, [a-z0-9_-]+)*(?:,? or [a-z0-9_-]+)?)(?:$|[;:.(]|, (?:-|stricter|in))`)

var commas = regexp.MustCompile(`,? or |, `)

// wordsOf are the words that a flag takes, as its help says them; none where it takes other things too.
func wordsOf(usage string) []string {
	// A list of words may follow what the flag is, or stand before what else is said of it.
	for _, part := range []string{usage, usage[strings.LastIndex(usage, "; ")+1:]} {
		found := oneOf.FindStringSubmatch(strings.TrimSpace(part))
		if found == nil {
			continue
		}
		list := commas.Split(found[1], -1)
		if len(list) > 1 {
			return list
		}
	}
	return nil
}

// dated are the flags that take a day.
var dated = regexp.MustCompile(`(?i)\b(first|last|new last) day\b|\bstart date\b|such as 20[0-9]{2}-[0-9]{2}-[0-9]{2}`)

// completeDays offers the days that are meant most often, each with how far it is; files too, where one may stand
// there.
func completeDays(files bool) completion {
	directive := cobra.ShellCompDirectiveKeepOrder
	if !files {
		directive |= cobra.ShellCompDirectiveNoFileComp
	}
	now := time.Now()
	ends := func(months int) time.Time {
		return time.Date(now.Year(), now.Month()+time.Month(months)+1, 0, 12, 0, 0, 0, time.Local)
	}
	var offers []string
	for _, offer := range []struct {
		at   time.Time
		says string
	}{{now, "today"}, {now.AddDate(0, 0, 1), "tomorrow"}, {now.AddDate(0, 0, 7), "in a week"},
		{now.AddDate(0, 0, 14), "in two weeks"}, {ends(0), "end of this month"}, {ends(1), "end of next month"}} {
		offers = append(offers, offer.at.Format(time.DateOnly)+"\t"+offer.says)
	}
	return cobra.FixedCompletions(offers, directive)
}

// completeValues offers what stands in a field of people's records.
func (s *session) completeValues(field string) completion {
	return complete(s, "/staff/values", "q", func(v api.StaffValue) (string, string) {
		return v.Value, words.Count(v.Count, "person", "people")
	}, client.Query("field", field))
}

// completeFlags gives every flag that offers nothing by itself what its name or its help says of it: records of the
// service, words, days. Flags that name files keep the shell's own.
func (s *session) completeFlags(c *cobra.Command) {
	named := map[string]completion{"staff": s.completeStaff(), "actor": s.completeStaff(),
		"line-manager": s.completeStaff(), "place": s.completePlaces(), "home-site": s.completePlaces(),
		"site": s.completePlaces(), "template": s.completeTemplates(), "team": s.completeTeams(),
		"permission": s.completePermissions(), "schedule": s.completeSchedules(),
		"qualification": s.completeQualifications(), "job-title": s.completeValues("job_title"),
		"employer": s.completeValues("employer")}
	c.LocalNonPersistentFlags().VisitAll(func(flag *pflag.Flag) {
		if _, offers := c.GetFlagCompletionFunc(flag.Name); offers || flag.Value.Type() == "bool" {
			return
		}
		switch list := wordsOf(flag.Usage); {
		case named[flag.Name] != nil:
			completeFlag(c, flag.Name, named[flag.Name])
		case list != nil && !strings.HasPrefix(flag.Usage, "kind="):
			completeFlag(c, flag.Name, cobra.FixedCompletions(list, cobra.ShellCompDirectiveNoFileComp))
		case dated.MatchString(flag.Usage):
			completeFlag(c, flag.Name, completeDays(strings.Contains(flag.Usage, "file")))
		case !strings.Contains(strings.ToLower(flag.Usage), "file"):
			completeFlag(c, flag.Name, cobra.NoFileCompletions)
		}
	})
	for _, below := range c.Commands() {
		s.completeFlags(below)
	}
}
