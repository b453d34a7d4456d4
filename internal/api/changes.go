package api

import (
	"encoding/json"
	"time"
)

// What is written: operations, changes with their effect, drafts and the audit log.

// Operation is one typed step of a change.
type Operation struct {
	Op         string          `json:"op" example:"staff.lock"`
	Ref        string          `json:"ref,omitempty" maxLength:"40" doc:"A name for what this makes; later operations say @name"`
	On         string          `json:"on,omitempty" maxLength:"64" doc:"What it is done to, by number or code"`
	IfRevision uint64          `json:"if_revision,omitempty" doc:"Revision of the record, as you read it"`
	Set        json.RawMessage `json:"set,omitempty" doc:"The fields"`
	Reason     string          `json:"reason,omitempty" maxLength:"500" doc:"Why this one; the reason of the whole change where left out"`
}

// ChangeRequest is a list of operations to be made together or not at all.
type ChangeRequest struct {
	Reason     string      `json:"reason,omitempty" maxLength:"500"`
	Operations []Operation `json:"operations" maxItems:"25000"`
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
	Summary string       `json:"summary" doc:"In one sentence"`
	Gaining int          `json:"gaining" doc:"How many people gain something"`
	Losing  int          `json:"losing" doc:"How many people lose something"`
	Gains   []EffectLine `json:"gains"`
	Losses  []EffectLine `json:"losses"`
	// Who can no longer manage whom, and who can from now on, what is lost first
	Managing    []ManagingLine `json:"managing" doc:"Who can no longer manage whom, and who can from now on"`
	NeedsReason bool           `json:"needs_reason" doc:"Whether making this change asks for a reason"`
}

// ManagingLine is whom one manager can no longer manage, or can from now on: whether they may assign them, or issue
// credentials to them, at their home site, and can give all that they have.
type ManagingLine struct {
	Key     string     `json:"key" doc:"Names the line within this effect, for asking about all its people"`
	Words   string     `json:"words" example:"Ana Reyes can no longer manage 44 people: cannot give “Clear a jam” at Line 2"`
	Lost    bool       `json:"lost"`
	Manager *StaffRef  `json:"manager,omitempty" doc:"Left out where you do not see them"`
	People  int        `json:"people"`
	Staff   []StaffRef `json:"staff" doc:"The first 100 of them"`
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
	AuditID  uint64   `json:"audit_id,omitempty" doc:"Absent in a preview, and of what is in force before its turn in the log"`
	Effect   Effect   `json:"effect"`
	Made     []Made   `json:"made"`
	Secrets  []Secret `json:"secrets"`
	People   []Access `json:"people" doc:"What the people concerned can do afterwards, when there are at most five"`
	Steps    []Step   `json:"steps" doc:"What it writes, the first 100 steps"`
	Total    int      `json:"total" doc:"How many steps it has"`
}

// StaffActResult is what came of an act about many people, or would.
type StaffActResult struct {
	ChangeResult
	Count   int       `json:"count" doc:"About how many people it is done"`
	LeftOut []LeftOut `json:"left_out" doc:"About whom it cannot be done, and why"`
}

// LeftOut is somebody about whom an act cannot be done.
type LeftOut struct {
	Staff StaffRef `json:"staff"`
	Why   string   `json:"why"`
}

// Step is one record that a change writes, in words.
type Step struct {
	Words   string       `json:"words" example:"Changed template Line operator"`
	Reason  string       `json:"reason,omitempty" doc:"Why this one, where it says so itself"`
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
	Reason  string       `json:"reason,omitempty" doc:"Why this one, where it says so itself"`
	Changes []StepChange `json:"changes"`
	Clashes []DraftClash `json:"clashes"`
	Problem string       `json:"problem,omitempty" doc:"Why it cannot be made as things are"`
}

// Draft is a list of edits that a manager collects before making them as one change.
type Draft struct {
	ID         uint64      `json:"id"`
	State      string      `json:"state" enum:"open,planned,failed,given,applied,discarded"`
	Title      string      `json:"title,omitempty"`
	Reason     string      `json:"reason,omitempty"`
	Free       bool        `json:"free,omitempty" doc:"Its owner can no longer make changes: you may take it over"`
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
	Operations []Operation `json:"operations" maxItems:"25000"`
}

// DraftDrop takes edits out of a draft.
type DraftDrop struct {
	Edits []int `json:"edits" minItems:"1" maxItems:"25000"`
}

// DraftPlan plans a draft for a moment.
type DraftPlan struct {
	At     time.Time `json:"at" doc:"RFC 3339 moment"`
	Title  string    `json:"title,omitempty" maxLength:"120"`
	Reason string    `json:"reason,omitempty" maxLength:"500"`
}

// DraftGive makes a draft another manager's.
type DraftGive struct {
	To string `json:"to" maxLength:"64" doc:"Staff number of who goes on with it"`
}

// AuditOperation is one operation as the audit log keeps it.
type AuditOperation struct {
	Op     string         `json:"op"`
	On     string         `json:"on"`
	Record string         `json:"record"`
	Before map[string]any `json:"before,omitempty"`
	After  map[string]any `json:"after,omitempty"`
	Reason string         `json:"reason,omitempty" doc:"Why this one, where it says so itself"`
}

// AuditEntry is one line of the audit log.
type AuditEntry struct {
	ID         uint64           `json:"id"`
	At         time.Time        `json:"at"`
	Action     string           `json:"action" enum:"change,sign-in,sign-in-refused,pin-refused,sessions-ended,keys-rotated,let-go,tries-cleared,pin-link-sent,urgent-act-dropped,draft-taken,pins-handed-out,leaving-ticked,erased,records-sealed,tampering-found,pins-paused,badge-paused,key-replaced,upgraded,history-removed"`
	Actor      string           `json:"actor"`
	Origin     string           `json:"origin"`
	Reason     string           `json:"reason,omitempty"`
	Summary    string           `json:"summary"`
	Steps      int              `json:"steps" doc:"How many operations it has; asked about one staff member, how many about them"`
	Operations []AuditOperation `json:"operations" doc:"In a list the first 50 of them"`
	Hash       string           `json:"hash"`
}

// Kept is a kind of what is kept beside the records.
type Kept struct {
	What    string     `json:"what"`
	KeptFor string     `json:"kept_for" doc:"How long, in words"`
	Setting string     `json:"setting,omitempty" doc:"The setting that says so; without one it is fixed"`
	Lines   int64      `json:"lines" doc:"How many there are, as the database estimates"`
	Bytes   int64      `json:"bytes" doc:"How much room they take"`
	Oldest  *time.Time `json:"oldest,omitempty"`
}

// AuditHead is the end of the audit log, signed.
type AuditHead struct {
	Entries   uint64 `json:"entries" doc:"How many entries the log has"`
	Hash      string `json:"hash" doc:"Hash of the last entry"`
	Signature string `json:"signature"`
}

// AuditCheck is the outcome of checking the chain of the audit log.
type AuditCheck struct {
	Whole   bool   `json:"whole"`
	Entries int    `json:"entries"`
	Detail  string `json:"detail"`
}
