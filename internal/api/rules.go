package api

import (
	"slices"
	"time"
)

// What somebody may do: the catalogue, templates and exceptions.

// Scale is the scale of a permission.
type Scale struct {
	Kind   string   `json:"kind" enum:"switch,levels,limit"`
	Levels []string `json:"levels,omitempty" doc:"Lowest first; the first means none"`
	Unit   string   `json:"unit,omitempty" doc:"Unit of a limit, such as kg"`
	Most   int32    `json:"most,omitempty" doc:"The highest number that a limit can be set to; left out: any"`
}

// Permission is one thing somebody may do.
type Permission struct {
	Key        string   `json:"key"`
	Title      string   `json:"title"`
	Sentence   string   `json:"sentence"`
	Group      string   `json:"group"`
	GroupTitle string   `json:"group_title"`
	Scale      Scale    `json:"scale"`
	Kinds      []string `json:"kinds" doc:"Kinds of place it applies to"`
	Sensitive  bool     `json:"sensitive,omitempty"`
	Reach      bool     `json:"reach,omitempty" doc:"It says whose records somebody sees: own, team or all"`
	Console    bool     `json:"console,omitempty" doc:"It is of this product itself and stays as it is"`
	Retired    bool     `json:"retired,omitempty"`
	Undecided  int      `json:"undecided" doc:"In how many templates it waits for a decision"`
	Given      int      `json:"given" doc:"How many templates give it"`
	ETag       string   `json:"etag"`
}

// Group is a node of the catalogue that holds permissions and other groups.
type Group struct {
	Key         string `json:"key"`
	Title       string `json:"title"`
	Parent      string `json:"parent,omitempty" doc:"Key of the group it stands in"`
	Depth       int    `json:"depth"`
	Permissions int    `json:"permissions" doc:"How many it holds, with the groups inside it"`
	Console     bool   `json:"console,omitempty"`
	Retired     bool   `json:"retired,omitempty"`
	ETag        string `json:"etag"`
}

// GroupFields are the fields of a group that can be written.
type GroupFields struct {
	Key    *string `json:"key,omitempty" doc:"Of a new one"`
	Title  *string `json:"title,omitempty"`
	Parent *string `json:"parent,omitempty" doc:"Key of the group it stands in; empty: at the top"`
}

// PermissionFields are the fields of a permission that can be written.
type PermissionFields struct {
	Key       *string   `json:"key,omitempty" doc:"Of a new one, such as line.clear-jam"`
	Title     *string   `json:"title,omitempty"`
	Sentence  *string   `json:"sentence,omitempty"`
	Group     *string   `json:"group,omitempty" doc:"Key of a group"`
	Scale     *Scale    `json:"scale,omitempty"`
	Kinds     *[]string `json:"kinds,omitempty" doc:"organisation, site, zone, door, device, work_centre"`
	Sensitive *bool     `json:"sensitive,omitempty"`
}

// TemplatePermission is what a template says of one permission.
type TemplatePermission struct {
	Permission string `json:"permission"`
	Title      string `json:"title"`
	GroupTitle string `json:"group_title"`
	Level      string `json:"level"`
	Gives      string `json:"gives,omitempty" doc:"Up to which level its holders can give it, where that is said"`
	Undecided  bool   `json:"undecided,omitempty" doc:"It came into the catalogue and waits for a decision"`
	From       string `json:"from" doc:"Where the setting comes from"`
}

// Template is a named set of permission settings.
type Template struct {
	ID                   uint32               `json:"id"`
	Code                 string               `json:"code"`
	Name                 string               `json:"name"`
	Summary              string               `json:"summary,omitempty"`
	Base                 string               `json:"base,omitempty" doc:"Code of the template it is based on"`
	Days                 int                  `json:"days,omitempty" doc:"How long an assignment lasts unless it says otherwise"`
	Needs                []string             `json:"needs" doc:"Kinds of credential that it states itself; none: those of its base"`
	NeedsWords           string               `json:"needs_words,omitempty" doc:"What is needed, by it or by its base"`
	Requires             []QualificationRef   `json:"requires" doc:"Qualifications that it requires itself; none: those of its base"`
	RequiresWords        string               `json:"requires_words,omitempty" doc:"What is required, by it or by its base"`
	IdleSeconds          int                  `json:"idle_seconds,omitempty" doc:"That it states itself; none: those of its base"`
	EffectiveIdleSeconds int                  `json:"effective_idle_seconds,omitempty" doc:"After how many seconds without use a shared terminal signs somebody out, by it or by its base"`
	Hours                AccessHours          `json:"hours"`
	HoursWords           string               `json:"hours_words"`
	Settings             map[string]string    `json:"settings,omitempty" doc:"Its own settings: key of a permission or group, and word"`
	Giving               map[string]string    `json:"giving,omitempty" doc:"Up to which level its holders can give, as it says itself: key of a permission or group, and word; where nothing is said, what they hold"`
	Permissions          []TemplatePermission `json:"permissions,omitempty" doc:"Every permission as it resolves; only when one template is asked for"`
	Given                int                  `json:"given" doc:"How many permissions it gives"`
	Undecided            int                  `json:"undecided" doc:"How many permissions came into the catalogue and wait for a decision"`
	Assignments          int                  `json:"assignments" doc:"How many assignments that have not ended use it"`
	Exceptions           int                  `json:"exceptions" doc:"How many exceptions that count differ from it"`
	LocalSettings        int                  `json:"local_settings" doc:"How many local settings that count now or later are about it, its own and those of its bases"`
	Assignable           bool                 `json:"assignable" doc:"Whether you could give it at the place asked about, or at some site"`
	WhyNot               string               `json:"why_not,omitempty" doc:"Why you could not"`
	Fixed                string               `json:"fixed,omitempty" doc:"Why you may not change it at all, whatever it gives"`
	Retired              bool                 `json:"retired,omitempty"`
	ETag                 string               `json:"etag"`
}

// TemplateFields are the fields of a template that can be written.
type TemplateFields struct {
	Code         *string            `json:"code,omitempty"`
	Name         *string            `json:"name,omitempty"`
	Summary      *string            `json:"summary,omitempty"`
	Base         *string            `json:"base,omitempty"`
	Settings     map[string]string  `json:"settings,omitempty" doc:"Replaces all its own settings: key of a permission or a group, and word"`
	Decide       map[string]*string `json:"decide,omitempty" doc:"Changes some settings: key and word; null sets one back to what flows from a group or comes from the base"`
	Giving       map[string]string  `json:"giving,omitempty" doc:"Replaces all that it says of what its holders can give: key and word, up to which; full is everything"`
	DecideGiving map[string]*string `json:"decide_giving,omitempty" doc:"Changes some of what its holders can give: key and word; null says nothing of it, so that they give what they hold"`
	Section      *Section           `json:"section,omitempty" doc:"Takes what another template says in one group"`
	DecideRest   *bool              `json:"decide_rest,omitempty" doc:"What is still undecided is not given, and that is decided"`
	CopyOf       *string            `json:"copy_of,omitempty" doc:"Of a new one: code of a template to begin from"`
	Like         *Like              `json:"like,omitempty" doc:"Of a new one: gives what somebody holds at a place"`
	Hours        *AccessHours       `json:"hours,omitempty"`
	Days         *int               `json:"days,omitempty"`
	Needs        *[]string          `json:"needs,omitempty"`
	Requires     *[]string          `json:"requires,omitempty" doc:"Codes of the qualifications without which nobody may do what it gives"`
	IdleSeconds  *int               `json:"idle_seconds,omitempty"`
}

// Section is one group of the catalogue as another template sets it.
type Section struct {
	From  string `json:"from" doc:"Code of a template"`
	Group string `json:"group" doc:"Key of a group"`
}

// Like names what somebody holds at a place.
type Like struct {
	Staff string `json:"staff" doc:"Staff number"`
	Place string `json:"place" doc:"Place code"`
}

// OutlineLine is one row of a template laid out as the tree of the catalogue, a group or a permission in it; or one row
// of a permission laid out as the tree of the templates.
type OutlineLine struct {
	Key        string   `json:"key" doc:"Of a group or a permission; the code of a template"`
	Title      string   `json:"title"`
	Kind       string   `json:"kind" enum:"group,permission,template"`
	Parent     string   `json:"parent,omitempty" doc:"Key of the group it stands in; code of the template it is based on"`
	Depth      int      `json:"depth"`
	Sentence   string   `json:"sentence,omitempty"`
	Scale      *Scale   `json:"scale,omitempty"`
	Words      []string `json:"words" doc:"What it can be set to, the lowest first; of a limit only none"`
	Sensitive  bool     `json:"sensitive,omitempty"`
	Level      string   `json:"level,omitempty" doc:"Of a permission: as it resolves"`
	Own        string   `json:"own,omitempty" doc:"What the template itself sets here"`
	Origin     string   `json:"origin,omitempty" enum:"own,group,base,open,undecided" doc:"Of a permission: its own setting, one that flows from a group of its own, one of the base, none at all (not given), or not decided yet"`
	OriginName string   `json:"origin_name,omitempty" doc:"The group, the base, or both"`
	Gives      string   `json:"gives,omitempty" doc:"Of a permission: up to which level its holders can give it to others"`
	OwnGives   string   `json:"own_gives,omitempty" doc:"Up to which level the template itself says so here"`
	GivesFrom  string   `json:"gives_from,omitempty" enum:"own,group,base,held" doc:"Of a permission: said of it here, flowing from a group, from the base, or not said, so that they give what they hold"`
	Total      int      `json:"total,omitempty" doc:"Of a group: its permissions"`
	Given      int      `json:"given,omitempty"`
	Undecided  int      `json:"undecided,omitempty"`
	Differ     int      `json:"differ,omitempty" doc:"Of a group that is set: how many of its permissions say something else"`
	Mixed      bool     `json:"mixed,omitempty"`
	Drafted    bool     `json:"drafted,omitempty" doc:"It differs in the draft from what is live"`
	Most       string   `json:"most,omitempty" doc:"Where you may not set it to everything: the most you may"`
	Fixed      bool     `json:"fixed,omitempty" doc:"You may not set it at all"`
	WhyNot     string   `json:"why_not,omitempty" doc:"Why not"`
	Assigned   int      `json:"assigned,omitempty" doc:"Of a template: its assignments that have not ended"`
}

// ComparisonSide is one of what is compared.
type ComparisonSide struct {
	Kind string `json:"kind" enum:"template,person"`
	Code string `json:"code"`
	Name string `json:"name"`
}

// ComparisonRow is one permission as each side says it.
type ComparisonRow struct {
	Permission string   `json:"permission"`
	Title      string   `json:"title"`
	GroupTitle string   `json:"group_title"`
	Levels     []string `json:"levels" doc:"One for each side"`
	Gives      []string `json:"gives" doc:"Up to which level each side can give it"`
	Differs    bool     `json:"differs"`
}

// Comparison lays templates, or templates and a person, side by side.
type Comparison struct {
	Sides     []ComparisonSide `json:"sides"`
	Differing int              `json:"differing"`
	Page[ComparisonRow]
}

// Lines returns the rows with a column for each side.
func (c Comparison) Lines() [][]string {
	header := []string{"permission", "title", "group"}
	for _, side := range c.Sides {
		header = append(header, side.Name)
	}
	for _, side := range c.Sides {
		header = append(header, side.Name+" can give")
	}
	lines := [][]string{header}
	for _, row := range c.Items {
		lines = append(lines, append([]string{row.Permission, row.Title, row.GroupTitle}, slices.Concat(row.Levels,
			row.Gives)...))
	}
	return lines
}

// SheetSection is what a template allows in one group of the catalogue.
type SheetSection struct {
	Group string   `json:"group"`
	Lines []string `json:"lines" doc:"In sentences"`
}

// SheetTemplate is a template as people agree on it: who it is for and what it allows.
type SheetTemplate struct {
	Code      string         `json:"code"`
	Name      string         `json:"name"`
	Summary   string         `json:"summary,omitempty"`
	BasedOn   string         `json:"based_on,omitempty"`
	People    int            `json:"people" doc:"How many have it"`
	Sites     []string       `json:"sites" doc:"Where"`
	Facts     []string       `json:"facts" doc:"When it counts, how long, and what it needs"`
	Sections  []SheetSection `json:"sections"`
	Undecided []string       `json:"undecided" doc:"Titles of what waits for a decision"`
}

// StarterSet is a catalogue with recommended templates that ships with the service.
type StarterSet struct {
	Code        string   `json:"code"`
	Name        string   `json:"name"`
	Summary     string   `json:"summary"`
	Permissions int      `json:"permissions"`
	Templates   []string `json:"templates" doc:"Their names"`
}

// Exception adds or withholds one permission for one person.
type Exception struct {
	ID         uint32    `json:"id"`
	Staff      StaffRef  `json:"staff"`
	Place      PlaceRef  `json:"place"`
	Permission string    `json:"permission"`
	Title      string    `json:"title"`
	Withheld   bool      `json:"withheld"`
	Level      string    `json:"level,omitempty"`
	From       string    `json:"from,omitempty" format:"date"`
	Until      string    `json:"until,omitempty" format:"date"`
	Reason     string    `json:"reason"`
	MadeAt     time.Time `json:"made_at"`
	Days       int       `json:"days" doc:"How many days ago it was made"`
	When       string    `json:"when" enum:"now,later,past,ended"`
	Templates  []string  `json:"templates" doc:"Names of the templates there that it differs from"`
	Redundant  string    `json:"redundant,omitempty" doc:"Why it changes nothing any more"`
	Ended      bool      `json:"ended,omitempty"`
	ETag       string    `json:"etag"`
}

// LocalSetting says that at a place and all below it a template has another level of one permission, or none.
type LocalSetting struct {
	ID           uint32    `json:"id"`
	Template     string    `json:"template" doc:"Code"`
	TemplateName string    `json:"template_name"`
	Permission   string    `json:"permission" doc:"Key"`
	Title        string    `json:"title" doc:"Of the permission"`
	Place        PlaceRef  `json:"place" doc:"Where, with all below it"`
	Level        string    `json:"level" doc:"That the template has there; none takes the permission away"`
	Otherwise    string    `json:"otherwise" doc:"The level that the template has itself"`
	From         string    `json:"from,omitempty" format:"date"`
	Until        string    `json:"until,omitempty" format:"date" doc:"The last day that counts"`
	Reason       string    `json:"reason"`
	MadeAt       time.Time `json:"made_at"`
	Days         int       `json:"days" doc:"How many days ago it was made"`
	When         string    `json:"when" enum:"now,later,past,ended"`
	Ended        bool      `json:"ended,omitempty"`
	ETag         string    `json:"etag"`
}

// LocalSettingEdit are the fields of a local setting that can be changed.
type LocalSettingEdit struct {
	Level *string `json:"level,omitempty" doc:"none takes the permission away"`
	From  *string `json:"from,omitempty" doc:"ISO 8601 date"`
	Until *string `json:"until,omitempty" doc:"ISO 8601 date, the last day on which it applies"`
}

// LocalSettingFields are the fields of a local setting.
type LocalSettingFields struct {
	Template   string `json:"template" doc:"Code of the template"`
	Permission string `json:"permission" doc:"Key"`
	Place      string `json:"place" doc:"Code of the place"`
	Level      string `json:"level" doc:"That the template has there; none takes the permission away"`
	From       string `json:"from,omitempty" doc:"ISO 8601 date"`
	Until      string `json:"until,omitempty" doc:"ISO 8601 date, the last day that counts"`
}

// ExceptionEdit are the fields of an exception that can be changed.
type ExceptionEdit struct {
	Level *string `json:"level,omitempty"`
	From  *string `json:"from,omitempty" doc:"ISO 8601 date"`
	Until *string `json:"until,omitempty" doc:"ISO 8601 date, the last day that counts"`
}

// ExceptionFields are the fields of an exception.
type ExceptionFields struct {
	Staff      string `json:"staff" doc:"Staff number"`
	Permission string `json:"permission" doc:"Key"`
	Place      string `json:"place" doc:"Place code"`
	Withheld   bool   `json:"withheld,omitempty" doc:"Withheld rather than added"`
	Level      string `json:"level,omitempty" doc:"Of what is added; a switch needs none"`
	From       string `json:"from,omitempty"`
	Until      string `json:"until,omitempty"`
}

// Holder is somebody who holds a permission somewhere.
type Holder struct {
	StaffNumber string   `json:"staff_number"`
	Name        string   `json:"name"`
	JobTitle    string   `json:"job_title,omitempty"`
	Place       PlaceRef `json:"place" doc:"Where, with all below it"`
	Level       string   `json:"level"`
	Through     string   `json:"through" doc:"The template, an exception, or that they are an owner"`
	From        string   `json:"from,omitempty" format:"date"`
	Until       string   `json:"until,omitempty" format:"date" doc:"The last day, of all ends that apply the earliest"`
}

// Ceiling is the most that you may give of a permission at a place.
type Ceiling struct {
	Permission string `json:"permission"`
	Level      string `json:"level"`
	WhyNot     string `json:"why_not,omitempty" doc:"Where it is not everything: why not"`
}

// Waiting is a template that waits for a decision.
type Waiting struct {
	Template    string   `json:"template" doc:"Code"`
	Name        string   `json:"name"`
	Permissions []string `json:"permissions" doc:"Keys of what waits, the first 20"`
	Count       int      `json:"count"`
}
