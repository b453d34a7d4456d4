// Package api holds the wire types of the HTTP API, shared by the service and the client.
package api

import (
	"regexp"
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

// Bare is the name of the field alone, without where in the request it stands.
func (f Field) Bare() string {
	return inRequest.ReplaceAllString(f.Field, "")
}

// inRequest is where in a request a field stands.
var inRequest = regexp.MustCompile(`^(body\.|query\.|path\.|operations\[[0-9]+\]\.|set\.)+`)

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
	More  bool   `json:"more,omitempty" doc:"There are more than the total: long logs are counted up to a bound"`
	Next  string `json:"next,omitempty" doc:"Send as 'after' for the next page; absent on the last"`
}

// Rows returns the items, for writing them as CSV.
func (p Page[T]) Rows() any { return p.Items }

// Following returns the cursor of the page after this one; empty of the last.
func (p Page[T]) Following() string { return p.Next }

// Of returns how many there are in all.
func (p Page[T]) Of() int { return p.Total }

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
	ID          uint32     `json:"id"`
	StaffNumber string     `json:"staff_number"`
	GivenName   string     `json:"given_name"`
	FamilyName  string     `json:"family_name"`
	KnownAs     string     `json:"known_as,omitempty"`
	Email       string     `json:"email,omitempty"`
	Phone       string     `json:"phone,omitempty"`
	JobTitle    string     `json:"job_title,omitempty"`
	Engagement  string     `json:"engagement,omitempty" enum:"employee,agency,contractor,seasonal"`
	Employer    string     `json:"employer,omitempty"`
	HomeSite    PlaceRef   `json:"home_site"`
	LineManager *StaffRef  `json:"line_manager,omitempty"`
	StartDate   string     `json:"start_date" format:"date"`
	ContractEnd string     `json:"contract_end,omitempty" format:"date"`
	LeavingDate string     `json:"leaving_date,omitempty" format:"date" doc:"Last day that counts"`
	LeavesAt    *time.Time `json:"leaves_at,omitempty" doc:"Where it is no whole day: the moment at which access ends or ended"`
	Notes       string     `json:"notes,omitempty"`
	ExternalID  string     `json:"external_id,omitempty"`

	DrivingLicence   string            `json:"driving_licence,omitempty"`
	InsuranceNumber  string            `json:"insurance_number,omitempty" doc:"Shown to those who change records"`
	EmergencyContact string            `json:"emergency_contact,omitempty"`
	EmergencyPhone   string            `json:"emergency_phone,omitempty"`
	Own              map[string]string `json:"own,omitempty" doc:"What stands in the fields of the organisation's own making, by their keys; of those you may see"`

	Status     string       `json:"status" enum:"prepared,active,left"`
	Owner      bool         `json:"owner,omitempty"`
	Lock       *Lock        `json:"lock,omitempty"`
	Paused     []Paused     `json:"paused,omitempty" doc:"Where their badge opens nothing for a while, after wrong PINs; said where one person is read, to who may lock them"`
	Templates  []string     `json:"templates" doc:"Names of the templates of their assignments that have not ended"`
	Hours      *AccessHours `json:"hours,omitempty" doc:"Access hours of those of their assignments that state none; left out: those of the templates"`
	HoursWords string       `json:"hours_words,omitempty" doc:"The same in words"`
	Qualified  []string     `json:"qualifications,omitempty" doc:"Codes of the qualifications that they hold today"`
	Teams      []TeamRef    `json:"teams,omitempty" doc:"Teams they are in"`
	Photo      bool         `json:"photo,omitempty" doc:"A photo of them is kept; said where one person is read"`
	Narrow     bool         `json:"narrow,omitempty" doc:"They belong to another site: only name, number, status and what they do at your places is shown"`
	ETag       string       `json:"etag" doc:"Send as If-Match when changing this"`
}

// StaffFilter chooses staff.
type StaffFilter struct {
	Q          string `query:"q" json:"q,omitempty" maxLength:"100" doc:"Words of the name, number, email, job title or employer"`
	Name       string `query:"name" json:"name,omitempty" maxLength:"100" doc:"Words of the name or the number and of nothing else"`
	Status     string `query:"status" json:"status,omitempty" enum:"prepared,active,left"`
	Locked     string `query:"locked" json:"locked,omitempty" enum:"true,false"`
	Engagement string `query:"engagement" json:"engagement,omitempty" enum:"employee,agency,contractor,seasonal"`
	Employer   string `query:"employer" json:"employer,omitempty" maxLength:"120"`
	Site       string `query:"site" json:"site,omitempty" maxLength:"64" doc:"Code of the home site"`
	Template   string `query:"template" json:"template,omitempty" maxLength:"64" doc:"Code of a template they are assigned"`
	Place      string `query:"place" json:"place,omitempty" maxLength:"64" doc:"Code of a place they are assigned at, or below"`
	Team       string `query:"team" json:"team,omitempty" maxLength:"64" doc:"Code of a team they are in"`
	Owner      string `query:"owner" json:"owner,omitempty" enum:"true,false" doc:"Whether they own the organisation here"`
	Readiness  string `query:"readiness" json:"readiness,omitempty" maxLength:"64" doc:"stuck: those who cannot work as intended; or a code of what keeps them"`
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
	Bar        uint32     `json:"bar,omitempty"`
	Template   string     `json:"template,omitempty" doc:"What: name of the template"`
	Place      *PlaceRef  `json:"place,omitempty" doc:"Where"`
	Covers     string     `json:"covers,omitempty" doc:"Whether it holds below the place too"`
	Doors      []PlaceRef `json:"doors" doc:"That open by what the person has to show"`
	Short      []PlaceRef `json:"short,omitempty" doc:"Doors that ask for more than the person has to show"`
	Abilities  []Ability  `json:"abilities"`
	Grounds    []Ground   `json:"grounds"`
}

// Obstacle is what keeps somebody from working, with the step that mends it.
type Obstacle struct {
	Code     string     `json:"code"`
	Sentence string     `json:"sentence"`
	Mend     string     `json:"mend"`
	Act      string     `json:"act"`
	Advisory bool       `json:"advisory,omitempty" doc:"It is to be settled, and keeps them from no door and no terminal"`
	Notice   *NoticeRef `json:"notice,omitempty" doc:"The notice that is not accepted"`
	// Of a qualification that is missing
	Qualification *QualificationRef `json:"qualification,omitempty" doc:"The qualification that is missing"`
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
	GivenName   *string `json:"given_name,omitempty" doc:"Given name"`
	FamilyName  *string `json:"family_name,omitempty" doc:"Family name"`
	KnownAs     *string `json:"known_as,omitempty" doc:"The name they go by"`
	Email       *string `json:"email,omitempty" doc:"Work email"`
	Phone       *string `json:"phone,omitempty" doc:"Phone"`
	JobTitle    *string `json:"job_title,omitempty" doc:"Job title"`
	Engagement  *string `json:"engagement,omitempty" doc:"Employee, agency, contractor or seasonal"`
	Employer    *string `json:"employer,omitempty" doc:"Agency or employer"`
	HomeSite    *string `json:"home_site,omitempty" doc:"Code of the home site"`
	LineManager *string `json:"line_manager,omitempty" doc:"Staff number of the line manager"`
	StartDate   *string `json:"start_date,omitempty" doc:"Start date, such as 2026-11-30"`
	ContractEnd *string `json:"contract_end,omitempty" doc:"Last day of the contract, such as 2027-01-19"`
	Notes       *string `json:"notes,omitempty" doc:"Notes"`
	ExternalID  *string `json:"external_id,omitempty" doc:"Number in another system"`

	DrivingLicence   *string `json:"driving_licence,omitempty" doc:"Driving licence: number and classes"`
	InsuranceNumber  *string `json:"insurance_number,omitempty" doc:"National or social insurance number"`
	EmergencyContact *string `json:"emergency_contact,omitempty" doc:"Whom to call in an emergency"`
	EmergencyPhone   *string `json:"emergency_phone,omitempty" doc:"Phone of the emergency contact"`

	Own map[string]string `json:"own,omitempty" doc:"Fields of the organisation's own making, by their keys; empty takes away what stands there"`
}

// HoursRule is one weekly stretch.
type HoursRule struct {
	Days  string `json:"days" example:"mon-fri"`
	From  string `json:"from" example:"05:30"`
	Until string `json:"until" example:"14:15"`
}

// AccessHours says when an assignment or a template lets somebody in.
type AccessHours struct {
	Kind          string      `json:"kind,omitempty" doc:"always, opening, weekly or schedule; empty takes what states them further up: the person's, else the template's, else the place's opening hours"`
	BeforeMinutes int         `json:"before_minutes,omitempty"`
	AfterMinutes  int         `json:"after_minutes,omitempty"`
	Rules         []HoursRule `json:"rules,omitempty"`
	Schedule      string      `json:"schedule,omitempty" doc:"Of the kind schedule: the code of the one whose hours they are"`
}

// Schedule is a set of access hours with a name, which templates, assignments and people have in common.
type Schedule struct {
	ID          uint32        `json:"id"`
	Code        string        `json:"code"`
	Name        string        `json:"name"`
	Summary     string        `json:"summary,omitempty"`
	Hours       AccessHours   `json:"hours"`
	HoursWords  string        `json:"hours_words"`
	Templates   []TemplateRef `json:"templates" doc:"That state these hours themselves"`
	Assignments int           `json:"assignments" doc:"How many assignments that have not ended state these hours themselves, of those you may see"`
	People      int           `json:"people" doc:"Whose hours they are by their own record, of those you may see"`
	Concerned   int           `json:"concerned" doc:"How many people have these hours in some assignment that has not ended, in whichever way, of those you may see"`
	Fixed       string        `json:"fixed,omitempty" doc:"Why you may not change it at all"`
	Retired     bool          `json:"retired,omitempty"`
	ETag        string        `json:"etag"`
}

// ScheduleFields are the fields of a schedule that can be written.
type ScheduleFields struct {
	Code    *string      `json:"code,omitempty" doc:"Such as EARLY; it stays as it is once it is made"`
	Name    *string      `json:"name,omitempty"`
	Summary *string      `json:"summary,omitempty"`
	Hours   *AccessHours `json:"hours,omitempty" doc:"Of the kinds always, opening or weekly"`
}

// ScheduleWrite adds or changes a schedule.
type ScheduleWrite struct {
	ScheduleFields
	Reasoned
}

// StaffHoursWrite sets the access hours of those of somebody's assignments that state none.
type StaffHoursWrite struct {
	Hours AccessHours `json:"hours" doc:"Empty takes those of the templates"`
	Reasoned
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
	ID           uint32             `json:"id"`
	Code         string             `json:"code"`
	Name         string             `json:"name"`
	Kind         string             `json:"kind" enum:"organisation,site,zone,door,device,work_centre"`
	Parent       *PlaceRef          `json:"parent,omitempty"`
	Depth        int                `json:"depth" doc:"0 for a site"`
	TimeZone     string             `json:"time_zone" doc:"Its own, or that of its site"`
	Opening      *OpeningHours      `json:"opening,omitempty" doc:"Its own opening hours"`
	OpeningWords string             `json:"opening_words" doc:"The opening hours that count here today, in words"`
	Proof        string             `json:"proof,omitempty" doc:"What it asks people to show"`
	ProofOutside string             `json:"proof_outside,omitempty" doc:"What it asks for outside opening hours, where that is more"`
	Asks         string             `json:"asks,omitempty" doc:"The permission that a request here is about"`
	Requires     []QualificationRef `json:"requires" doc:"Qualifications without which nobody may do anything here and below; those of the places above count too"`
	Retired      bool               `json:"retired,omitempty"`
	ETag         string             `json:"etag"`
}

// PlaceBrief is a place as it is chosen from all.
type PlaceBrief struct {
	Code     string `json:"code"`
	Name     string `json:"name"`
	Kind     string `json:"kind" enum:"organisation,site,zone,door,device,work_centre"`
	Parent   string `json:"parent,omitempty" doc:"Code of what it stands in"`
	Depth    int    `json:"depth" doc:"0 for a site"`
	TimeZone string `json:"time_zone,omitempty" doc:"Of a site: IANA name; what stands in it has the same"`
	Asks     string `json:"asks,omitempty" doc:"The permission that a request here is about"`
}

// Outline is the estate in brief.
type Outline struct {
	Items []PlaceBrief `json:"items" doc:"Those in use, parents before children"`
	Total int          `json:"total" doc:"How many are in use; only the first 20,000 are told"`
}

// PlaceFields are the fields of a place that can be written.
type PlaceFields struct {
	Code     *string       `json:"code,omitempty"`
	Name     *string       `json:"name,omitempty"`
	Kind     *string       `json:"kind,omitempty" doc:"organisation, site, zone, door, device or work_centre"`
	Parent   *string       `json:"parent,omitempty" doc:"Code of the site or zone it stands in"`
	TimeZone *string       `json:"time_zone,omitempty" doc:"IANA name; sites only"`
	Opening  *OpeningHours `json:"opening,omitempty"`
	Proof    *string       `json:"proof,omitempty" doc:"badge, pin, badge_or_pin, badge_and_pin, or empty"`
	Outside  *string       `json:"proof_outside,omitempty" doc:"Of a door: what it asks for outside opening hours, stricter than its proof; empty: the same"`
	Asks     *string       `json:"asks,omitempty" doc:"Key of a permission"`
	Requires *[]string     `json:"requires,omitempty" doc:"Codes of qualifications without which nobody may do anything here and below"`
}

// PlacePerson is somebody who holds a permission at a place.
type PlacePerson struct {
	StaffNumber string `json:"staff_number"`
	Name        string `json:"name"`
	JobTitle    string `json:"job_title,omitempty"`
	Template    string `json:"template,omitempty"`
	Through     string `json:"through" doc:"Place of the assignment or exception it comes from"`
	Level       string `json:"level"`
	Until       string `json:"until,omitempty" format:"date" doc:"The last day, of all ends that apply the earliest"`
	Ends        string `json:"ends,omitempty" doc:"What ends it then"`
	Lacks       string `json:"lacks,omitempty" doc:"At a door: what it asks to be shown, where they do not have that, so that it stays shut"`
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
	Hours      *AccessHours `json:"hours,omitempty" doc:"That it states itself"`
	HoursWords string       `json:"hours_words" doc:"As they count, in words"`
	HoursBy    string       `json:"hours_by" doc:"What states them, in words"`
	When       string       `json:"when" enum:"now,later,past,ended"`
	Covers     *StaffRef    `json:"covers,omitempty" doc:"Who is absent meanwhile, where it covers somebody"`
	CoveredBy  []Cover      `json:"covered_by,omitempty" doc:"Who covers it, and when"`
	ETag       string       `json:"etag"`
}

// Cover is who works in the place of somebody absent.
type Cover struct {
	Staff StaffRef `json:"staff"`
	From  string   `json:"from" format:"date"`
	Until string   `json:"until" format:"date"`
}

// Leaving is somebody who leaves or has left, with what is to be done.
type Leaving struct {
	StaffNumber string        `json:"staff_number"`
	Name        string        `json:"name"`
	JobTitle    string        `json:"job_title,omitempty"`
	HomeSite    PlaceRef      `json:"home_site"`
	Status      string        `json:"status" enum:"prepared,active,left"`
	Gone        time.Time     `json:"gone" doc:"When access ends or has ended"`
	Who         *StaffRef     `json:"who,omitempty" doc:"Whose task it is; left out: whoever looks after the home site"`
	Open        int           `json:"open" doc:"How many tasks are not done"`
	Tasks       []LeavingTask `json:"tasks"`
}

// LeavingTask is one thing to be done when somebody leaves.
type LeavingTask struct {
	Key  string     `json:"key"`
	What string     `json:"what"`
	Hand bool       `json:"hand" doc:"It is ticked off by hand; otherwise it is done when the records say so"`
	Done bool       `json:"done"`
	By   *StaffRef  `json:"by,omitempty"`
	At   *time.Time `json:"at,omitempty"`
}

// Proposal is an assignment that people with a job title have at a site.
type Proposal struct {
	Place      PlaceRef `json:"place"`
	Template   string   `json:"template" doc:"Code"`
	TemplateOf string   `json:"template_name"`
	Count      int      `json:"count" doc:"How many have it"`
	Of         int      `json:"of" doc:"How many have the title there"`
}

// Readiness counts those who cannot work as intended.
type Readiness struct {
	Stuck   int            `json:"stuck" doc:"How many cannot work as intended"`
	Workers int            `json:"workers" doc:"How many are to work"`
	Sites   map[string]int `json:"sites" doc:"How many cannot, by the code of the home site"`
	Codes   map[string]int `json:"codes" doc:"How many have each obstacle"`
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

// Credential is what somebody shows; the secret itself is nowhere.
type Credential struct {
	ID         uint32     `json:"id"`
	Staff      StaffRef   `json:"staff"`
	Kind       string     `json:"kind" enum:"pin,badge,password"`
	State      string     `json:"state" enum:"valid,suspended,lost,withdrawn"`
	From       *time.Time `json:"from,omitempty"`
	Until      *time.Time `json:"until,omitempty"`
	MustChange bool       `json:"must_change,omitempty"`
	Duress     bool       `json:"duress,omitempty" doc:"A PIN that opens and raises a silent alarm"`
	IssuedAt   time.Time  `json:"issued_at"`
	Counts     bool       `json:"counts" doc:"Whether it counts at this moment"`
	Badge      *BadgeRef  `json:"badge,omitempty" doc:"Which badge, for the kind badge"`
	Since      *time.Time `json:"since,omitempty" doc:"Since when it is suspended, lost or withdrawn"`
	Reason     string     `json:"reason,omitempty" doc:"Why it is that"`
	LastUsed   *time.Time `json:"last_used,omitempty" doc:"At a door or a terminal; of a password the last sign-in"`
	UnusedDays *int       `json:"unused_days,omitempty" doc:"Since it was last used, or else issued"`
}

// PINFields set a PIN.
type PINFields struct {
	Staff      string `json:"staff" doc:"Staff number"`
	PIN        string `json:"pin,omitempty" doc:"Left out: one is generated and shown once"`
	MustChange bool   `json:"must_change,omitempty"`
	Until      string `json:"until,omitempty" doc:"RFC 3339 moment from which it no longer counts; left out: as the settings say"`
	Duress     bool   `json:"duress,omitempty" doc:"Their second PIN, which opens and raises a silent alarm, where the organisation has those"`
}

// Device is a door controller or terminal that may ask for decisions.
type Device struct {
	ID        uint32     `json:"id"`
	Name      string     `json:"name"`
	Place     PlaceRef   `json:"place"`
	Retired   bool       `json:"retired,omitempty"`
	LastAsked *time.Time `json:"last_asked,omitempty" doc:"Left out: never. A device keeps no list: whatever is asked after a lock has been answered is refused"`
	ETag      string     `json:"etag"`
}

// DecisionRequest asks whether somebody may do something at a place. A device sends what was shown to it and, if at
// all, its own time-independent question; a manager may name a person and a moment.
type DecisionRequest struct {
	Staff      string     `json:"staff,omitempty" maxLength:"64" doc:"Staff number; managers only"`
	PIN        string     `json:"pin,omitempty" maxLength:"32" doc:"The PIN that was typed"`
	Badge      string     `json:"badge,omitempty" maxLength:"256" doc:"The badge as it was read: bits, bytes in hexadecimal, or its number"`
	Permission string     `json:"permission,omitempty" maxLength:"64" doc:"Key; left out: what the place asks about"`
	Place      string     `json:"place,omitempty" maxLength:"64" doc:"Code; a device may leave it out and means its own"`
	Level      int32      `json:"level,omitempty" doc:"At least this level or limit"`
	About      string     `json:"about,omitempty" maxLength:"64" doc:"Staff number of the person whose records are asked for, of a permission whose levels are own, team and all"`
	Reader     string     `json:"reader,omitempty" maxLength:"64" doc:"Of several at one place, the one at which it was shown. Nothing depends on it: wrong PINs count at the place and at the device"`
	At         *time.Time `json:"at,omitempty" doc:"Moment that a manager asks about. A device asks about now: it may leave this out, or state the time of its own clock, which is refused where it is more than a minute off"`
}

// Decision is the answer.
type Decision struct {
	Outcome     string    `json:"outcome" enum:"allow,refuse"`
	Reason      string    `json:"reason" doc:"Code; see the guide"`
	Sentence    string    `json:"sentence"`
	Level       int32     `json:"level,omitempty"`
	IdleSeconds int       `json:"idle_seconds,omitempty" doc:"For a shared terminal: after how many seconds without use it signs the person out; its own rule where left out"`
	Staff       *StaffRef `json:"staff,omitempty"`
	Permission  string    `json:"permission,omitempty"`
	Place       *PlaceRef `json:"place,omitempty"`
	At          time.Time `json:"at"`
	Tense       string    `json:"tense,omitempty" enum:",past,present,future" doc:"Whether it is from the kept history, live, or by what is on record now; for managers"`
	Grounds     []Ground  `json:"grounds,omitempty" doc:"For managers"`
	Remedy      string    `json:"remedy,omitempty" doc:"What would change a refusal; for managers"`
	Advice      []Advice  `json:"advice,omitempty" doc:"Everything that blocks the person, in the order in which to fix it; for managers, about now and the future"`
	Fixable     bool      `json:"fixable,omitempty" doc:"With the operations of the advice applied as one change, the answer is allow: now, or from the next time inside the access hours"`
}

// Advice is one thing that blocks a person, with everything before it fixed.
type Advice struct {
	Reason    string        `json:"reason" doc:"Code; see the guide"`
	Sentence  string        `json:"sentence"`
	Remedy    string        `json:"remedy,omitempty"`
	Operation *Operation    `json:"operation,omitempty" doc:"Fixes it; absent if no operation alone does, such as a PIN that has to be handed over"`
	Needs     string        `json:"needs,omitempty" doc:"Permission that the operation requires"`
	Asks      []string      `json:"asks,omitempty" doc:"Fields of the operation to choose"`
	Templates []TemplateRef `json:"templates,omitempty" doc:"Templates that include the permission, those with the fewest other permissions first"`
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

// Bar is a lock limited to a place and all below it.
type Bar struct {
	ID     uint32     `json:"id"`
	Staff  StaffRef   `json:"staff"`
	Place  PlaceRef   `json:"place"`
	Reason string     `json:"reason"`
	Since  time.Time  `json:"since"`
	Until  *time.Time `json:"until,omitempty"`
	By     *StaffRef  `json:"by,omitempty"`
	Ended  bool       `json:"ended,omitempty"`
	ETag   string     `json:"etag"`
}

// BarWrite bars somebody from a place.
type BarWrite struct {
	Place string `json:"place" maxLength:"64" doc:"Code"`
	Until string `json:"until,omitempty" maxLength:"40" doc:"Moment, RFC 3339; without an offset the time on the clock of the place; left out: until it is lifted"`
	Reasoned
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
	Redundant int            `json:"redundant" doc:"Exceptions that change nothing any more"`
	Barred    []Bar          `json:"barred" doc:"Who is kept out of a place"`
	Badges    []Badge        `json:"badges" doc:"Overdue, lost with no other in their place, or still out with people who have left"`
	Paused    []Paused       `json:"paused" doc:"Where PINs, or the badge of somebody, are paused after wrong ones"`
	Gaps      []Gap          `json:"gaps" doc:"Teams without a lead, and sites and templates that nobody takes care of but owners, where you may mend it"`
	Aside     int            `json:"aside,omitempty" doc:"Records that cannot be read and give nothing; for those who read the audit log everywhere"`
	LostPINs  int            `json:"lost_pins,omitempty" doc:"People who have lost their PIN by no act of anybody, such as an upgrade; for those who issue credentials"`
	LostWhy   string         `json:"lost_why,omitempty" doc:"What it was"`
	Troubles  []Trouble      `json:"troubles,omitempty" doc:"What is wrong with how the service runs, at the instance that answers; for those who read the audit log everywhere"`
	Tampering string         `json:"tampering,omitempty" doc:"What the last daily check of the database found that something else than the service wrote; for those who read the audit log everywhere"`
}

// Trouble is something that is wrong with how the service runs.
type Trouble struct {
	Kind  string    `json:"kind"`
	What  string    `json:"what"`
	Do    string    `json:"do" doc:"What to do about it"`
	Since time.Time `json:"since"`
}

// Gap is what nobody takes care of but owners.
type Gap struct {
	Kind     string `json:"kind" enum:"team,site,template"`
	Code     string `json:"code"`
	Name     string `json:"name"`
	Sentence string `json:"sentence"`
	Mend     string `json:"mend" doc:"What mends it"`
}

// Paused is a place at which too many wrong PINs were typed.
type Paused struct {
	Place PlaceRef  `json:"place"`
	Staff *StaffRef `json:"staff,omitempty" doc:"Whose badge opens nothing there until then; left out: PINs without a badge are not taken there"`
	Until time.Time `json:"until"`
}

// Found is one result of the find field.
type Found struct {
	Kind   string `json:"kind" enum:"staff,badge,place,template"`
	Code   string `json:"code" doc:"Of a badge the number of its record"`
	Name   string `json:"name"`
	Detail string `json:"detail"`
	Status string `json:"status,omitempty" doc:"Of a staff member"`
	Locked bool   `json:"locked,omitempty"`
	Held   bool   `json:"held,omitempty" doc:"Of a place: a reader there takes no more tries for a while"`
}

// Duplicate is somebody on record who may be the person about to be enrolled.
type Duplicate struct {
	StaffNumber string `json:"staff_number" doc:"Empty where it is somebody whom you may not see"`
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
	Everywhere   []string            `json:"everywhere" doc:"Console permissions held at the organisation"`
}

// SignIn signs in.
type SignIn struct {
	Name     string `json:"name" maxLength:"254" doc:"Work email or staff number"`
	Password string `json:"password" maxLength:"256"`
	Kind     string `json:"kind,omitempty" enum:"console,client" doc:"console sets a cookie; client answers with a token"`
	Device   string `json:"device,omitempty" maxLength:"100" doc:"A name for the token, such as the machine's"`
	Scope    string `json:"scope,omitempty" enum:"read,daily,everything" doc:"What the token may do: read, the daily job too, or everything that you may; left out: everything"`
}

// SignedIn answers a sign-in.
type SignedIn struct {
	Me        Me         `json:"me"`
	Token     string     `json:"token,omitempty" doc:"For clients only; shown this once"`
	ExpiresAt *time.Time `json:"expires_at,omitempty"`
}

// Session is one thing that acts for a person.
type Session struct {
	ID        string     `json:"id,omitempty" doc:"By which it is ended; left out of a device, which is retired where devices are"`
	Kind      string     `json:"kind" enum:"console,client,feed,visit,pin_link,password_link,plan,device"`
	Scope     string     `json:"scope,omitempty"`
	Name      string     `json:"name,omitempty"`
	Address   string     `json:"address,omitempty" doc:"From which it was begun; of a device its place"`
	CreatedAt *time.Time `json:"created_at,omitempty"`
	LastUsed  *time.Time `json:"last_used,omitempty" doc:"To the minute"`
	ExpiresAt *time.Time `json:"expires_at,omitempty" doc:"When it ends by itself; of a plan its moment"`
	Present   bool       `json:"present,omitempty" doc:"The one you are using"`
}

// PasswordChange changes one's own password.
type PasswordChange struct {
	OldPassword string `json:"old_password" maxLength:"256"`
	NewPassword string `json:"new_password" maxLength:"256"`
}
