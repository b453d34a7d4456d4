package permit

import "loyallatch.example/latch/internal/core/estate"

// Keys of the permissions to use this product itself. They stand in the catalogue beside all others, so one
// model serves doors, terminals and managers.
const (
	ConsoleGroup     = "console"
	ViewStaff        = "console.view_staff"
	EnrolStaff       = "console.enrol"
	EditStaff        = "console.edit_staff"
	AssignStaff      = "console.assign"
	ExceptStaff      = "console.except"
	IssueCredentials = "console.credentials"
	LockStaff        = "console.lock"
	RecordLeavers    = "console.leave"
	CheckAccess      = "console.check"
	EditPlaces       = "console.edit_places"
	EditTemplates    = "console.edit_templates"
	EditCatalogue    = "console.edit_catalogue"
	ManageDevices    = "console.devices"
	ReadEvents       = "console.read_events"
	ReadAudit        = "console.read_audit"
	EditTeams        = "console.teams"
)

// CountEverywhere are those that are about all sites at once: they are held at the organisation, or not at all.
var CountEverywhere = []string{EditTemplates, EditCatalogue, ReadAudit}

// ConsoleReach is the scale of the permission to see staff: whose records.
var ConsoleReach = Scale{Kind: Levels, Levels: []string{"none", "own", "team", "all"}}

// ConsolePermissions returns the permissions that the product itself asks about, as they come into a new catalogue.
func ConsolePermissions() []Permission {
	titles := []struct{ key, title, sentence string }{
		{ViewStaff, "See staff", "Sees the people who belong to or work at the place: oneself, those in teams that " +
			"one leads, or all."},
		{EnrolStaff, "Enrol staff", "Puts new people on record with this as their home site."},
		{EditStaff, "Edit staff", "Changes the record of people whose home site this is."},
		{AssignStaff, "Assign staff", "Gives, changes and ends assignments at the place."},
		{ExceptStaff, "Make exceptions", "Adds or withholds a permission for one person at the place."},
		{IssueCredentials, "Issue credentials",
			"Issues and withdraws the PINs, badges and passwords of people whose home site this is."},
		{LockStaff, "Lock and unlock staff", "Locks and unlocks people who belong to or work at the place."},
		{RecordLeavers, "Record leavers and reinstate",
			"Records that people whose home site this is have left or come back."},
		{CheckAccess, "Check access", "Asks what somebody may do at the place, and why."},
		{EditPlaces, "Edit places", "Adds, changes and retires places here and below."},
		{EditTemplates, "Edit templates",
			"Changes templates; needs to be held at the organisation, as templates count at all sites."},
		{EditCatalogue, "Edit the catalogue", "Changes the catalogue; needs to be held at the organisation."},
		{ManageDevices, "Manage devices", "Connects doors and terminals at the place and retires them."},
		{ReadEvents, "Read events", "Reads what happened at the doors and terminals of the place."},
		{ReadAudit, "Read the audit log", "Reads who changed what; needs to be held at the organisation."},
		{EditTeams, "Edit teams", "Makes teams and says who is in them and leads them, of people whose home site " +
			"this is."},
	}
	permissions := make([]Permission, len(titles))
	for i, t := range titles {
		permissions[i] = Permission{Key: t.key, Title: t.title, Sentence: t.sentence, Scale: Scale{Kind: Switch},
			Kinds: estate.Kinds}
		if t.key == ViewStaff {
			permissions[i].Scale = ConsoleReach
		}
	}
	return permissions
}

// KeyNow returns the key of a permission as it is called now, for one that may be of the past.
func KeyNow(key string) string {
	if key == "console.depart" { // until the words became those of leavers
		return RecordLeavers
	}
	return key
}

// AskedByConsole reports whether this product itself asks about a permission, by its key.
func AskedByConsole(key string) bool { return askedByConsole[key] }

var askedByConsole = map[string]bool{}

func init() {
	for _, p := range ConsolePermissions() {
		askedByConsole[p.Key] = true
	}
}

// OfConsole reports whether a group is of this product itself: its permissions' wording may change, nothing else.
func (c *Catalogue) OfConsole(id GroupID) bool {
	console := c.GroupByKey(ConsoleGroup)
	return console != nil && c.Inside(id, console.ID)
}
