// Package api holds the wire types of the HTTP API, shared by the service and the client.
package api

import (
	"encoding/json"
	"strings"
	"time"
)

// Problem is an error answer: RFC 9457 problem details.
type Problem struct {
	Type   string  `json:"type" doc:"What sort of problem this is; stable, for programs" example:"urn:loyal-latch:problem:conflict"`
	Title  string  `json:"title" doc:"The sort of problem in words"`
	Status int     `json:"status" doc:"HTTP status"`
	Detail string  `json:"detail" doc:"A sentence that says what is wrong and what to do"`
	Errors []Field `json:"errors,omitempty" doc:"The fields that are wrong"`
}

// Field names one wrong field.
type Field struct {
	Field   string `json:"field" doc:"Where it is, such as body.until or operations[1].set.until"`
	Message string `json:"message" doc:"What is wrong with it and how to put it right"`
}

// ProblemPrefix begins every problem type.
const ProblemPrefix = "urn:loyal-latch:problem:"

// Error returns the sentence.
func (p *Problem) Error() string { return p.Detail }

// GetStatus returns the HTTP status.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType says that a problem is a problem whatever was asked for.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

// Page is one page of a list.
type Page[T any] struct {
	Items []T    `json:"items"`
	Total int    `json:"total" doc:"How many there are on all pages together"`
	Next  string `json:"next,omitempty" doc:"Send as 'after' for the next page; absent on the last"`
}

// Rows returns the items, for writing them as CSV.
func (p Page[T]) Rows() any { return p.Items }

// PlaceRef names a place.
type PlaceRef struct {
	Code string `json:"code"`
	Name string `json:"name"`
}

// StaffRef names a staff member.
type StaffRef struct {
	StaffNumber string `json:"staff_number"`
	Name        string `json:"name"`
}

// Lock is a lock on a staff member.
type Lock struct {
	Cause  string     `json:"cause" enum:"manager,attempts"`
	Reason string     `json:"reason"`
	Since  time.Time  `json:"since"`
	Until  *time.Time `json:"until,omitempty"`
	By     *StaffRef  `json:"by,omitempty"`
}

// Staff is a staff member.
type Staff struct {
	ID          uint32    `json:"id"`
	StaffNumber string    `json:"staff_number"`
	GivenName   string    `json:"given_name"`
	FamilyName  string    `json:"family_name"`
	KnownAs     string    `json:"known_as,omitempty"`
	Email       string    `json:"email,omitempty"`
	Phone       string    `json:"phone,omitempty"`
	JobTitle    string    `json:"job_title,omitempty"`
	Engagement  string    `json:"engagement" enum:"employee,agency,contractor,seasonal"`
	Employer    string    `json:"employer,omitempty"`
	HomeSite    PlaceRef  `json:"home_site"`
	LineManager *StaffRef `json:"line_manager,omitempty"`
	StartDate   string    `json:"start_date" format:"date"`
	ContractEnd string    `json:"contract_end,omitempty" format:"date"`
	LeavingDate string    `json:"leaving_date,omitempty" format:"date"`
	Notes       string    `json:"notes,omitempty"`
	ExternalID  string    `json:"external_id,omitempty"`
	Status      string    `json:"status" enum:"prepared,active,departed"`
	Owner       bool      `json:"owner,omitempty"`
	Lock        *Lock     `json:"lock,omitempty"`
	Templates   []string  `json:"templates" doc:"Names of the templates of their assignments that have not ended"`
	ETag        string    `json:"etag" doc:"Send as If-Match when changing this"`
}

// Ground is one fact that a decision rests on.
type Ground struct {
	Kind string `json:"kind"`
	Ref  string `json:"ref,omitempty"`
	Text string `json:"text"`
}

// Ability is one permission that somebody has.
type Ability struct {
	Permission string `json:"permission"`
	Title      string `json:"title"`
	Words      string `json:"words"`
	Setting    string `json:"setting"`
	Level      string `json:"level"`
	Reach      bool   `json:"reach,omitempty" doc:"It says whose records: own, team or all"`
	Sensitive  bool   `json:"sensitive,omitempty"`
}

// Statement says in sentences what one assignment or exception lets somebody do.
type Statement struct {
	Sentence   string     `json:"sentence"`
	Further    string     `json:"further,omitempty"`
	When       string     `json:"when" enum:"now,later,past"`
	Assignment uint32     `json:"assignment,omitempty"`
	Exception  uint32     `json:"exception,omitempty"`
	Template   string     `json:"template,omitempty" doc:"What: name of the template"`
	Place      *PlaceRef  `json:"place,omitempty" doc:"Where"`
	Covers     string     `json:"covers,omitempty" doc:"Whether it holds below the place too"`
	Doors      []PlaceRef `json:"doors"`
	Abilities  []Ability  `json:"abilities"`
	Grounds    []Ground   `json:"grounds"`
}

// Obstacle is what keeps somebody from working, with the step that mends it.
type Obstacle struct {
	Code     string `json:"code"`
	Sentence string `json:"sentence"`
	Mend     string `json:"mend"`
	Act      string `json:"act"`
}

// Access is what somebody can do, and what keeps them from it.
type Access struct {
	StaffNumber string      `json:"staff_number"`
	Called      string      `json:"called"`
	Statements  []Statement `json:"statements"`
	Obstacles   []Obstacle  `json:"obstacles"`
}

// StaffFields are the fields of a staff member that can be written. Fields not sent stay as they are.
type StaffFields struct {
	StaffNumber *string `json:"staff_number,omitempty" maxLength:"32" doc:"Made by the numbering rule where it is left out"`
	GivenName   *string `json:"given_name,omitempty"`
	FamilyName  *string `json:"family_name,omitempty"`
	KnownAs     *string `json:"known_as,omitempty"`
	Email       *string `json:"email,omitempty"`
	Phone       *string `json:"phone,omitempty"`
	JobTitle    *string `json:"job_title,omitempty"`
	Engagement  *string `json:"engagement,omitempty" doc:"employee, agency, contractor or seasonal"`
	Employer    *string `json:"employer,omitempty"`
	HomeSite    *string `json:"home_site,omitempty" doc:"Code of a site"`
	LineManager *string `json:"line_manager,omitempty" doc:"Staff number"`
	StartDate   *string `json:"start_date,omitempty" doc:"ISO 8601 date"`
	ContractEnd *string `json:"contract_end,omitempty" doc:"ISO 8601 date, the last day that counts"`
	Notes       *string `json:"notes,omitempty"`
	ExternalID  *string `json:"external_id,omitempty"`
}

// HoursRule is one weekly stretch.
type HoursRule struct {
	Days  string `json:"days" example:"mon-fri"`
	From  string `json:"from" example:"05:30"`
	Until string `json:"until" example:"14:15"`
}

// AccessHours says when an assignment or a template lets somebody in.
type AccessHours struct {
	Kind          string      `json:"kind,omitempty" doc:"always, opening or weekly; empty takes the template's, else the place's opening hours"`
	BeforeMinutes int         `json:"before_minutes,omitempty"`
	AfterMinutes  int         `json:"after_minutes,omitempty"`
	Rules         []HoursRule `json:"rules,omitempty"`
}

// DatedHours replace the weekly rules between two dates.
type DatedHours struct {
	Name  string      `json:"name"`
	From  string      `json:"from" format:"date"`
	Until string      `json:"until" format:"date"`
	Rules []HoursRule `json:"rules"`
}

// OpeningHours say when a place is open; without rules it never closes.
type OpeningHours struct {
	Rules []HoursRule  `json:"rules,omitempty"`
	Dated []DatedHours `json:"dated,omitempty"`
}

// Place is a node of the estate.
type Place struct {
	ID           uint32        `json:"id"`
	Code         string        `json:"code"`
	Name         string        `json:"name"`
	Kind         string        `json:"kind" enum:"site,zone,door,device,work_centre"`
	Parent       *PlaceRef     `json:"parent,omitempty"`
	Depth        int           `json:"depth" doc:"0 for a site"`
	TimeZone     string        `json:"time_zone" doc:"Its own, or that of its site"`
	Opening      *OpeningHours `json:"opening,omitempty" doc:"Its own opening hours"`
	OpeningWords string        `json:"opening_words" doc:"The opening hours that count here today, in words"`
	Proof        string        `json:"proof,omitempty" doc:"What it asks people to show"`
	Asks         string        `json:"asks,omitempty" doc:"The permission that a request here is about"`
	Retired      bool          `json:"retired,omitempty"`
	ETag         string        `json:"etag"`
}

// PlaceFields are the fields of a place that can be written.
type PlaceFields struct {
	Code     *string       `json:"code,omitempty"`
	Name     *string       `json:"name,omitempty"`
	Kind     *string       `json:"kind,omitempty" doc:"site, zone, door, device or work_centre"`
	Parent   *string       `json:"parent,omitempty" doc:"Code of the site or zone it stands in"`
	TimeZone *string       `json:"time_zone,omitempty" doc:"IANA name; sites only"`
	Opening  *OpeningHours `json:"opening,omitempty"`
	Proof    *string       `json:"proof,omitempty" doc:"badge, pin, badge_or_pin, badge_and_pin, or empty"`
	Asks     *string       `json:"asks,omitempty" doc:"Key of a permission"`
}

// PlacePerson is somebody who holds a permission at a place.
type PlacePerson struct {
	StaffNumber string `json:"staff_number"`
	Name        string `json:"name"`
	JobTitle    string `json:"job_title,omitempty"`
	Template    string `json:"template,omitempty"`
	Through     string `json:"through" doc:"Place of the assignment or exception it comes from"`
	Level       string `json:"level"`
	Until       string `json:"until,omitempty" format:"date"`
}

// Scale is the scale of a permission.
type Scale struct {
	Kind   string   `json:"kind" enum:"switch,levels,limit"`
	Levels []string `json:"levels,omitempty" doc:"Lowest first; the first means none"`
	Unit   string   `json:"unit,omitempty" doc:"Of a limit, such as kg"`
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
	Kinds     *[]string `json:"kinds,omitempty" doc:"site, zone, door, device, work_centre"`
	Sensitive *bool     `json:"sensitive,omitempty"`
}

// TemplatePermission is what a template says of one permission.
type TemplatePermission struct {
	Permission string `json:"permission"`
	Title      string `json:"title"`
	GroupTitle string `json:"group_title"`
	Level      string `json:"level"`
	Decided    bool   `json:"decided"`
	From       string `json:"from,omitempty" doc:"Where the setting comes from"`
}

// Template is a named set of permission settings.
type Template struct {
	ID          uint32               `json:"id"`
	Code        string               `json:"code"`
	Name        string               `json:"name"`
	Summary     string               `json:"summary,omitempty"`
	Base        string               `json:"base,omitempty" doc:"Code of the template it is based on"`
	Days        int                  `json:"days,omitempty" doc:"How long an assignment lasts unless it says otherwise"`
	Needs       []string             `json:"needs"`
	IdleSeconds int                  `json:"idle_seconds,omitempty"`
	Hours       AccessHours          `json:"hours"`
	HoursWords  string               `json:"hours_words"`
	Settings    map[string]string    `json:"settings,omitempty" doc:"Its own settings: key of a permission or group, and word"`
	Permissions []TemplatePermission `json:"permissions,omitempty" doc:"Every permission as it resolves; only when one template is asked for"`
	Given       int                  `json:"given" doc:"How many permissions it gives"`
	Undecided   int                  `json:"undecided" doc:"How many permissions came into the catalogue and wait for a decision"`
	Assignments int                  `json:"assignments" doc:"How many assignments that have not ended use it"`
	Exceptions  int                  `json:"exceptions" doc:"How many exceptions that count differ from it"`
	Assignable  bool                 `json:"assignable" doc:"Whether you could give it at the place asked about, or at some site"`
	WhyNot      string               `json:"why_not,omitempty" doc:"Why you could not"`
	Retired     bool                 `json:"retired,omitempty"`
	ETag        string               `json:"etag"`
}

// TemplateFields are the fields of a template that can be written.
type TemplateFields struct {
	Code        *string            `json:"code,omitempty"`
	Name        *string            `json:"name,omitempty"`
	Summary     *string            `json:"summary,omitempty"`
	Base        *string            `json:"base,omitempty"`
	Settings    map[string]string  `json:"settings,omitempty" doc:"Replaces all its own settings: key of a permission or a group, and word"`
	Decide      map[string]*string `json:"decide,omitempty" doc:"Changes some settings: key and word; null sets one back to what flows from a group or comes from the base"`
	Section     *Section           `json:"section,omitempty" doc:"Takes what another template says in one group"`
	DecideRest  *bool              `json:"decide_rest,omitempty" doc:"What is still undecided is not given, and that is decided"`
	CopyOf      *string            `json:"copy_of,omitempty" doc:"Of a new one: code of a template to begin from"`
	Like        *Like              `json:"like,omitempty" doc:"Of a new one: gives what somebody holds at a place"`
	Hours       *AccessHours       `json:"hours,omitempty"`
	Days        *int               `json:"days,omitempty"`
	Needs       *[]string          `json:"needs,omitempty"`
	IdleSeconds *int               `json:"idle_seconds,omitempty"`
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

// OutlineLine is one row of a template laid out as the tree of the catalogue: a group, or a permission in it.
type OutlineLine struct {
	Key        string   `json:"key"`
	Title      string   `json:"title"`
	Kind       string   `json:"kind" enum:"group,permission"`
	Parent     string   `json:"parent,omitempty" doc:"Key of the group it stands in"`
	Depth      int      `json:"depth"`
	Sentence   string   `json:"sentence,omitempty"`
	Scale      *Scale   `json:"scale,omitempty"`
	Words      []string `json:"words" doc:"What it can be set to, the lowest first; of a limit only none"`
	Sensitive  bool     `json:"sensitive,omitempty"`
	Level      string   `json:"level,omitempty" doc:"Of a permission: as it resolves"`
	Own        string   `json:"own,omitempty" doc:"What the template itself sets here"`
	Origin     string   `json:"origin,omitempty" enum:"own,group,base,open,undecided" doc:"Of a permission: its own setting, one that flows from a group of its own, one of the base, none at all (not given), or not decided yet"`
	OriginName string   `json:"origin_name,omitempty" doc:"The group, the base, or both"`
	Total      int      `json:"total,omitempty" doc:"Of a group: its permissions"`
	Given      int      `json:"given,omitempty"`
	Undecided  int      `json:"undecided,omitempty"`
	Differ     int      `json:"differ,omitempty" doc:"Of a group that is set: how many of its permissions say something else"`
	Mixed      bool     `json:"mixed,omitempty"`
	Drafted    bool     `json:"drafted,omitempty" doc:"It differs in the draft from what is live"`
	Most       string   `json:"most,omitempty" doc:"Where you may not set it to everything: the most you may"`
	WhyNot     string   `json:"why_not,omitempty" doc:"Why not"`
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
	lines := [][]string{header}
	for _, row := range c.Items {
		lines = append(lines, append([]string{row.Permission, row.Title, row.GroupTitle}, row.Levels...))
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

// Assignment says that somebody works at a place with a template between two dates.
type Assignment struct {
	ID         uint32       `json:"id"`
	Staff      StaffRef     `json:"staff"`
	Place      PlaceRef     `json:"place"`
	Template   string       `json:"template" doc:"Code"`
	TemplateOf string       `json:"template_name"`
	From       string       `json:"from,omitempty" format:"date"`
	Until      string       `json:"until,omitempty" format:"date"`
	Hours      *AccessHours `json:"hours,omitempty"`
	HoursWords string       `json:"hours_words"`
	When       string       `json:"when" enum:"now,later,past,ended"`
	ETag       string       `json:"etag"`
}

// AssignmentFields are the fields of an assignment that can be written.
type AssignmentFields struct {
	Staff    *string      `json:"staff,omitempty" doc:"Staff number"`
	Place    *string      `json:"place,omitempty" doc:"Place code"`
	Template *string      `json:"template,omitempty" doc:"Template code"`
	From     *string      `json:"from,omitempty" doc:"ISO 8601 date"`
	Until    *string      `json:"until,omitempty" doc:"ISO 8601 date, the last day that counts"`
	Hours    *AccessHours `json:"hours,omitempty"`
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
	Needless   string    `json:"needless,omitempty" doc:"Why it changes nothing any more"`
	Ended      bool      `json:"ended,omitempty"`
	ETag       string    `json:"etag"`
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

// Credential is what somebody shows; the secret itself is nowhere.
type Credential struct {
	ID         uint32     `json:"id"`
	Staff      StaffRef   `json:"staff"`
	Kind       string     `json:"kind" enum:"pin,badge,password"`
	State      string     `json:"state" enum:"valid,suspended,lost,withdrawn"`
	From       *time.Time `json:"from,omitempty"`
	Until      *time.Time `json:"until,omitempty"`
	MustChange bool       `json:"must_change,omitempty"`
	IssuedAt   time.Time  `json:"issued_at"`
}

// PINFields set a PIN.
type PINFields struct {
	Staff      string `json:"staff" doc:"Staff number"`
	PIN        string `json:"pin,omitempty" doc:"Left out: one is generated and shown once"`
	MustChange bool   `json:"must_change,omitempty"`
	Until      string `json:"until,omitempty" doc:"RFC 3339 moment from which it no longer counts"`
}

// Device is a door controller or terminal that may ask for decisions.
type Device struct {
	ID      uint32   `json:"id"`
	Name    string   `json:"name"`
	Place   PlaceRef `json:"place"`
	Revoked bool     `json:"revoked,omitempty"`
	ETag    string   `json:"etag"`
}

// Operation is one typed step of a change.
type Operation struct {
	Op         string          `json:"op" example:"staff.lock"`
	Ref        string          `json:"ref,omitempty" maxLength:"40" doc:"A name for what this makes; later operations say @name"`
	On         string          `json:"on,omitempty" maxLength:"64" doc:"What it is done to, by number or code"`
	IfRevision uint64          `json:"if_revision,omitempty" doc:"Of what it is done to, as you read it"`
	Set        json.RawMessage `json:"set,omitempty" doc:"The fields"`
}

// ChangeRequest is a list of operations to be made together or not at all.
type ChangeRequest struct {
	Reason     string      `json:"reason,omitempty" maxLength:"500"`
	Operations []Operation `json:"operations" maxItems:"5000"`
}

// EffectLine is a group of people who gain or lose one permission by one template.
type EffectLine struct {
	Key        string     `json:"key" doc:"Names the line within this effect, for asking about all its people"`
	Words      string     `json:"words" example:"41 Packers at 2 sites gain “Clear a jam”"`
	Permission string     `json:"permission"`
	Title      string     `json:"title"`
	Template   string     `json:"template,omitempty" doc:"Name; left out where it comes from exceptions"`
	Places     []PlaceRef `json:"places" doc:"The first 20 places of the assignments"`
	Sites      int        `json:"sites"`
	Sensitive  bool       `json:"sensitive,omitempty"`
	People     int        `json:"people"`
	Staff      []StaffRef `json:"staff" doc:"The first 100 of them"`
	Before     string     `json:"before"`
	After      string     `json:"after"`
}

// Effect is who gains and who loses what where.
type Effect struct {
	Summary     string       `json:"summary" doc:"In one sentence"`
	Gaining     int          `json:"gaining" doc:"How many people gain something"`
	Losing      int          `json:"losing" doc:"How many people lose something"`
	Gains       []EffectLine `json:"gains"`
	Losses      []EffectLine `json:"losses"`
	NeedsReason bool         `json:"needs_reason" doc:"Whether making this change asks for a reason"`
}

// Made is something that a change has made.
type Made struct {
	Kind string `json:"kind"`
	ID   uint32 `json:"id"`
	Code string `json:"code,omitempty"`
}

// Secret is something generated that is shown this once.
type Secret struct {
	Kind  string `json:"kind" enum:"pin,password,device_token"`
	Owner string `json:"owner"`
	Value string `json:"value"`
}

// ChangeResult is what came of a change, or in a preview would come of it.
type ChangeResult struct {
	Preview  bool     `json:"preview"`
	Revision uint64   `json:"revision"`
	AuditID  uint64   `json:"audit_id,omitempty"`
	Effect   Effect   `json:"effect"`
	Made     []Made   `json:"made"`
	Secrets  []Secret `json:"secrets"`
	People   []Access `json:"people" doc:"What the people concerned can do afterwards, when there are at most five"`
	Steps    []Step   `json:"steps" doc:"What it writes, the first 100 steps"`
	Total    int      `json:"total" doc:"How many steps it has"`
}

// Step is one record that a change writes, in words.
type Step struct {
	Words   string       `json:"words" example:"Changed template Line operator"`
	Changes []StepChange `json:"changes"`
}

// StepChange is one field that a step changes.
type StepChange struct {
	Field string `json:"field" doc:"In words"`
	Was   string `json:"was"`
	Now   string `json:"now"`
}

// EffectPeople asks who is in one line of the effect of a change.
type EffectPeople struct {
	Line string `json:"line" maxLength:"200" doc:"Key of the line"`
	ChangeRequest
}

// Change is a change that was made.
type Change struct {
	ID       uint64    `json:"id"`
	At       time.Time `json:"at"`
	Actor    string    `json:"actor"`
	Origin   string    `json:"origin"`
	Reason   string    `json:"reason,omitempty"`
	Summary  string    `json:"summary"`
	Undoes   uint64    `json:"undoes,omitempty" doc:"The change that it reverses"`
	UndoneBy uint64    `json:"undone_by,omitempty" doc:"The change that reverses it"`
	Total    int       `json:"total" doc:"How many steps it has"`
	Steps    []Step    `json:"steps" doc:"In a list the first 5, for one change the first 500"`
}

// DraftClash says where somebody else changed what an edit changes.
type DraftClash struct {
	Field string `json:"field"`
	Was   string `json:"was" doc:"When the edit was made"`
	Now   string `json:"now"`
}

// DraftEdit is one line of a draft.
type DraftEdit struct {
	ID      int          `json:"id"`
	Words   string       `json:"words"`
	Changes []StepChange `json:"changes"`
	Clashes []DraftClash `json:"clashes"`
	Problem string       `json:"problem,omitempty" doc:"Why it cannot be made as things are"`
}

// Draft is a list of edits that a manager collects before making them as one change.
type Draft struct {
	ID         uint64      `json:"id"`
	State      string      `json:"state" enum:"open,planned,failed,applied,discarded"`
	Title      string      `json:"title,omitempty"`
	Reason     string      `json:"reason,omitempty"`
	Owner      StaffRef    `json:"owner"`
	Own        bool        `json:"own" doc:"Whether it is yours"`
	Count      int         `json:"count" doc:"How many edits it holds"`
	PlannedFor *time.Time  `json:"planned_for,omitempty"`
	Problem    string      `json:"problem,omitempty" doc:"Why it could not be applied when its moment came"`
	AppliedAs  uint64      `json:"applied_as,omitempty" doc:"The change it became"`
	UpdatedAt  time.Time   `json:"updated_at"`
	Edits      []DraftEdit `json:"edits,omitempty" doc:"When one draft is asked for: its edits, the first 500"`
	Effect     *Effect     `json:"effect,omitempty" doc:"When one draft is asked for: who gains and loses by what can be made"`
	Clashing   int         `json:"clashing,omitempty" doc:"How many edits somebody else was at meanwhile"`
	Problems   int         `json:"problems,omitempty" doc:"How many edits cannot be made as things are"`
	Skipped    []Skipped   `json:"skipped,omitempty" doc:"What was not put in, with why"`
}

// Skipped is a cell of the grid that was not set.
type Skipped struct {
	Staff  StaffRef `json:"staff"`
	Column string   `json:"column"`
	Why    string   `json:"why"`
}

// DraftEdits puts edits into a draft.
type DraftEdits struct {
	Title      string      `json:"title,omitempty" maxLength:"120"`
	Operations []Operation `json:"operations" maxItems:"5000"`
}

// DraftDrop takes edits out of a draft.
type DraftDrop struct {
	Edits []int `json:"edits" minItems:"1" maxItems:"5000"`
}

// DraftPlan plans a draft for a moment.
type DraftPlan struct {
	At     time.Time `json:"at" doc:"RFC 3339 moment"`
	Title  string    `json:"title,omitempty" maxLength:"120"`
	Reason string    `json:"reason,omitempty" maxLength:"500"`
}

// GridColumn is a permission, or a place.
type GridColumn struct {
	Key       string   `json:"key" doc:"Of a permission, or the code of a place"`
	Title     string   `json:"title"`
	Group     string   `json:"group,omitempty" doc:"Title of the group, or the kind of the place"`
	Words     []string `json:"words" doc:"What it can be set to"`
	Unit      string   `json:"unit,omitempty"`
	Sensitive bool     `json:"sensitive,omitempty"`
	WhyNot    string   `json:"why_not,omitempty" doc:"Why you may not give it there"`
}

// GridCell is what one person holds in one column.
type GridCell struct {
	Level   string `json:"level,omitempty" doc:"Empty: nothing"`
	Origin  string `json:"origin,omitempty" enum:",template,added,withheld,owner,below"`
	Drafted bool   `json:"drafted,omitempty" doc:"It differs in the draft from what is live"`
}

// GridRow is one person.
type GridRow struct {
	StaffNumber string     `json:"staff_number"`
	Name        string     `json:"name"`
	JobTitle    string     `json:"job_title,omitempty"`
	Engagement  string     `json:"engagement"`
	Employer    string     `json:"employer,omitempty"`
	Templates   []string   `json:"templates"`
	Cells       []GridCell `json:"cells" doc:"One for each column"`
	WhyNot      string     `json:"why_not,omitempty" doc:"Why you may not set anything for this person"`
}

// Grid is people × permissions at a place, or people × places for a permission.
type Grid struct {
	Place      *PlaceRef    `json:"place,omitempty"`
	Permission string       `json:"permission,omitempty" doc:"Title, where the columns are places"`
	Columns    []GridColumn `json:"columns"`
	WhyNot     string       `json:"why_not,omitempty" doc:"Why you may set nothing here"`
	Page[GridRow]
}

// Lines returns the grid as it is shown.
func (g Grid) Lines() [][]string {
	header := []string{"staff_number", "name", "job_title", "engagement", "employer", "templates"}
	for _, column := range g.Columns {
		header = append(header, column.Title)
	}
	lines := [][]string{header}
	for _, row := range g.Items {
		line := []string{row.StaffNumber, row.Name, row.JobTitle, row.Engagement, row.Employer, strings.Join(row.Templates, "; ")}
		for _, cell := range row.Cells {
			line = append(line, cell.Text())
		}
		lines = append(lines, line)
	}
	return lines
}

// Text says a cell in a word or two.
func (c GridCell) Text() string {
	switch c.Origin {
	case "withheld":
		return "withheld"
	case "added", "owner":
		return c.Level + " (" + c.Origin + ")"
	case "below":
		return c.Level + " (further in)"
	}
	return c.Level
}

// GridSet sets whole rows or columns of a grid, in a draft.
type GridSet struct {
	Place       string   `json:"place,omitempty" maxLength:"64" doc:"Of people × permissions"`
	Permission  string   `json:"permission,omitempty" maxLength:"64" doc:"Of people × places"`
	Columns     []string `json:"columns" minItems:"1" maxItems:"200" doc:"Keys of the columns to set"`
	Staff       []string `json:"staff,omitempty" maxItems:"5000" doc:"Staff numbers of the rows; left out: all that the filter keeps"`
	Level       string   `json:"level,omitempty" maxLength:"40" doc:"The word to set; left out: back to what the templates give"`
	Template    string   `json:"template,omitempty" maxLength:"64"`
	Title       string   `json:"title,omitempty" maxLength:"120"`
	Engagement  string   `json:"engagement,omitempty" maxLength:"20"`
	Employer    string   `json:"employer,omitempty" maxLength:"120"`
	Q           string   `json:"q,omitempty" maxLength:"100"`
	ContainedIn string   `json:"under,omitempty" maxLength:"64" doc:"Of people × places: the place whose people the rows are"`
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
	Until       string   `json:"until,omitempty" format:"date"`
}

// Sight is what somebody would meet at one place.
type Sight struct {
	Place    PlaceRef `json:"place"`
	Kind     string   `json:"kind"`
	Depth    int      `json:"depth"`
	Opens    *bool    `json:"opens,omitempty" doc:"Of a door: whether it opens"`
	Sentence string   `json:"sentence,omitempty" doc:"Of a door: why it opens or stays shut"`
	Offers   []string `json:"offers" doc:"What a terminal there would offer, or what counts there as a whole"`
}

// Look is what somebody meets at a place and below it at a moment.
type Look struct {
	Staff      StaffRef    `json:"staff"`
	Place      PlaceRef    `json:"place"`
	At         time.Time   `json:"at"`
	Kept       string      `json:"kept" enum:"past,present,future" doc:"Whether it is from the kept history, live, or by what is on record now"`
	Status     string      `json:"status"`
	Obstacles  []Obstacle  `json:"obstacles"`
	Statements []Statement `json:"statements" doc:"Everywhere they can go and all they can do, in sentences"`
	Page[Sight]
}

// Ceiling is the most that you may give of a permission at a place.
type Ceiling struct {
	Permission string `json:"permission"`
	Level      string `json:"level"`
	WhyNot     string `json:"why_not,omitempty" doc:"Where it is not everything: why not"`
}

// DecisionRequest asks whether somebody may do something at a place. A device sends what was shown to it and, if at
// all, its own time-independent question; a manager may name a person and a moment.
type DecisionRequest struct {
	Staff      string     `json:"staff,omitempty" maxLength:"64" doc:"Staff number; managers only"`
	PIN        string     `json:"pin,omitempty" maxLength:"32" doc:"The PIN that was shown"`
	Permission string     `json:"permission,omitempty" maxLength:"64" doc:"Key; left out: what the place asks about"`
	Place      string     `json:"place,omitempty" maxLength:"64" doc:"Code; a device may leave it out and means its own"`
	Level      int32      `json:"level,omitempty" doc:"At least this level or limit"`
	At         *time.Time `json:"at,omitempty" doc:"Moment; managers only"`
}

// Decision is the answer.
type Decision struct {
	Outcome    string    `json:"outcome" enum:"allow,refuse"`
	Reason     string    `json:"reason" doc:"Code; see the guide"`
	Sentence   string    `json:"sentence"`
	Level      int32     `json:"level,omitempty"`
	Staff      *StaffRef `json:"staff,omitempty"`
	Permission string    `json:"permission,omitempty"`
	Place      *PlaceRef `json:"place,omitempty"`
	At         time.Time `json:"at"`
	Kept       string    `json:"kept,omitempty" enum:",past,present,future" doc:"Whether it is from the kept history, live, or by what is on record now; for managers"`
	Grounds    []Ground  `json:"grounds,omitempty" doc:"For managers"`
	Remedy     string    `json:"remedy,omitempty" doc:"What would change a refusal; for managers"`
}

// AuditOperation is one operation as the audit log keeps it.
type AuditOperation struct {
	Op     string         `json:"op"`
	On     string         `json:"on"`
	Record string         `json:"record"`
	Before map[string]any `json:"before,omitempty"`
	After  map[string]any `json:"after,omitempty"`
}

// AuditEntry is one line of the audit log.
type AuditEntry struct {
	ID         uint64           `json:"id"`
	At         time.Time        `json:"at"`
	Action     string           `json:"action" enum:"change,sign-in,sign-in-refused"`
	Actor      string           `json:"actor"`
	Origin     string           `json:"origin"`
	Reason     string           `json:"reason,omitempty"`
	Summary    string           `json:"summary"`
	Steps      int              `json:"steps" doc:"How many operations it has; asked about one staff member, how many about them"`
	Operations []AuditOperation `json:"operations" doc:"In a list the first 50 of them"`
	Hash       string           `json:"hash"`
}

// AuditCheck is the outcome of walking the chain of the audit log.
type AuditCheck struct {
	Whole   bool   `json:"whole"`
	Entries int    `json:"entries"`
	Detail  string `json:"detail"`
}

// Event is a decision that really happened at a door or terminal.
type Event struct {
	ID         string    `json:"id"`
	At         time.Time `json:"at"`
	Place      PlaceRef  `json:"place"`
	Device     string    `json:"device"`
	Staff      *StaffRef `json:"staff,omitempty"`
	Permission string    `json:"permission"`
	Outcome    string    `json:"outcome" enum:"allow,refuse"`
	Reason     string    `json:"reason"`
}

// Person is a line about somebody on Today.
type Person struct {
	StaffNumber string     `json:"staff_number"`
	Name        string     `json:"name"`
	JobTitle    string     `json:"job_title,omitempty"`
	HomeSite    PlaceRef   `json:"home_site"`
	Date        string     `json:"date,omitempty" format:"date"`
	What        string     `json:"what,omitempty"`
	Lock        *Lock      `json:"lock,omitempty"`
	Obstacles   []Obstacle `json:"obstacles,omitempty"`
}

// Today is what a manager looks at first.
type Today struct {
	Date      string         `json:"date" format:"date"`
	Counts    map[string]int `json:"counts"`
	Starting  []Person       `json:"starting"`
	Stuck     []Person       `json:"stuck"`
	Ending    []Person       `json:"ending"`
	Locked    []Person       `json:"locked"`
	Undecided []Waiting      `json:"undecided" doc:"Templates that wait for a decision on new permissions"`
	Drafts    []Draft        `json:"drafts" doc:"Planned, or failed when their moment came"`
	Needless  int            `json:"needless" doc:"Exceptions that change nothing any more"`
}

// Waiting is a template that waits for a decision.
type Waiting struct {
	Template    string   `json:"template" doc:"Code"`
	Name        string   `json:"name"`
	Permissions []string `json:"permissions" doc:"Titles of what waits, the first 20"`
	Count       int      `json:"count"`
}

// Found is one result of the find field.
type Found struct {
	Kind   string `json:"kind" enum:"staff,place,template"`
	Code   string `json:"code"`
	Name   string `json:"name"`
	Detail string `json:"detail"`
	Status string `json:"status,omitempty" doc:"Of a staff member"`
	Locked bool   `json:"locked,omitempty"`
}

// Double is somebody on record who may be the person about to be enrolled.
type Double struct {
	StaffNumber string `json:"staff_number"`
	Name        string `json:"name"`
	Status      string `json:"status"`
	JobTitle    string `json:"job_title,omitempty"`
	HomeSite    string `json:"home_site"`
	Why         string `json:"why"`
}

// Me is who is signed in and what they may do in this product, and where.
type Me struct {
	StaffNumber  string              `json:"staff_number"`
	Name         string              `json:"name"`
	Called       string              `json:"called"`
	Owner        bool                `json:"owner,omitempty"`
	Organisation string              `json:"organisation"`
	MustChange   bool                `json:"must_change_password,omitempty"`
	CSRF         string              `json:"csrf,omitempty" doc:"Console sessions send this as X-CSRF-Token with every write"`
	May          map[string][]string `json:"may" doc:"Console permission, and the codes of the sites where it is held at the site or somewhere in it"`
	Everywhere   []string            `json:"everywhere" doc:"Console permissions held at every site"`
}

// SignIn signs in.
type SignIn struct {
	Name     string `json:"name" maxLength:"254" doc:"Work email or staff number"`
	Password string `json:"password" maxLength:"256"`
	Kind     string `json:"kind,omitempty" enum:"console,client" doc:"console sets a cookie; client answers with a token"`
	Device   string `json:"device,omitempty" maxLength:"100" doc:"A name for the token, such as the machine's"`
}

// SignedIn answers a sign-in.
type SignedIn struct {
	Me        Me         `json:"me"`
	Token     string     `json:"token,omitempty" doc:"For clients only; shown this once"`
	ExpiresAt *time.Time `json:"expires_at,omitempty"`
}

// Session is a sign-in that still counts.
type Session struct {
	ID        uint64    `json:"id"`
	Kind      string    `json:"kind"`
	Name      string    `json:"name,omitempty"`
	CreatedAt time.Time `json:"created_at"`
	ExpiresAt time.Time `json:"expires_at"`
	Present   bool      `json:"present,omitempty" doc:"The one you are using"`
}

// PasswordChange changes one's own password.
type PasswordChange struct {
	OldPassword string `json:"old_password" maxLength:"256"`
	NewPassword string `json:"new_password" maxLength:"256"`
}
