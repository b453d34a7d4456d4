package change

import (
	"fmt"
	"slices"
	"strings"

	"loyallatch.example/latch/internal/core/permit"
)

// kind is all that is said of a sort of operation, wherever it is said.
type kind struct {
	apply func(d *Trial) error
	// do and done say it as something to be done, and as something that was: "Lock", "Locked".
	do, done string
	needs    string // the permission that it asks for at least
	daily    bool   // it belongs to the daily job
	secret   bool   // it takes in a secret or hands one out, so it is kept in no draft
	own      bool   // the general way of making changes does not take it
}

var kinds map[string]kind

func init() {
	kinds = map[string]kind{
		"organisation.edit":  {apply: organisationEdit, do: "Change the settings of", done: "Changed the settings of"},
		"place.add":          {apply: placeAdd, do: "Add place", done: "Added place", needs: permit.EditPlaces},
		"place.edit":         {apply: placeEdit, do: "Change place", done: "Changed place", needs: permit.EditPlaces},
		"place.retire":       {apply: placeRetire, do: "Retire place", done: "Retired place", needs: permit.EditPlaces},
		"place.restore":      {apply: placeRestore, do: "Bring back place", done: "Brought back place", needs: permit.EditPlaces},
		"group.add":          {apply: groupAdd, do: "Add catalogue group", done: "Added catalogue group", needs: permit.EditCatalogue},
		"group.edit":         {apply: groupEdit, do: "Change catalogue group", done: "Changed catalogue group", needs: permit.EditCatalogue},
		"group.retire":       {apply: groupRetire, do: "Retire catalogue group", done: "Retired catalogue group", needs: permit.EditCatalogue},
		"group.restore":      {apply: groupRestore, do: "Bring back catalogue group", done: "Brought back catalogue group", needs: permit.EditCatalogue},
		"permission.add":     {apply: permissionAdd, do: "Add permission", done: "Added permission", needs: permit.EditCatalogue},
		"permission.edit":    {apply: permissionEdit, do: "Change permission", done: "Changed permission", needs: permit.EditCatalogue},
		"permission.retire":  {apply: permissionRetire, do: "Retire permission", done: "Retired permission", needs: permit.EditCatalogue},
		"permission.restore": {apply: permissionRestore, do: "Bring back permission", done: "Brought back permission", needs: permit.EditCatalogue},
		"template.add":       {apply: templateAdd, do: "Add template", done: "Added template", needs: permit.EditTemplates},
		"template.edit":      {apply: templateEdit, do: "Change template", done: "Changed template", needs: permit.EditTemplates},
		"template.retire":    {apply: templateRetire, do: "Retire template", done: "Retired template", needs: permit.EditTemplates},
		"template.restore":   {apply: templateRestore, do: "Bring back template", done: "Brought back template", needs: permit.EditTemplates},
		"staff.enrol":        {apply: staffEnrol, do: "Enrol", done: "Enrolled", needs: permit.EnrolStaff, daily: true},
		"staff.edit":         {apply: staffEdit, do: "Change the record of", done: "Changed the record of", needs: permit.EditStaff, daily: true},
		"staff.activate":     {apply: staffActivate, do: "Activate", done: "Activated", needs: permit.EditStaff, daily: true},
		"staff.lock":         {apply: staffLock, do: "Lock", done: "Locked", needs: permit.LockStaff, daily: true},
		"staff.unlock":       {apply: staffUnlock, do: "Unlock", done: "Unlocked", needs: permit.LockStaff, daily: true},
		"staff.depart":       {apply: staffDepart, do: "Record the departure of", done: "Recorded the departure of", needs: permit.DepartStaff, daily: true},
		"staff.reinstate":    {apply: staffReinstate, do: "Reinstate", done: "Reinstated", needs: permit.DepartStaff, daily: true},
		"staff.make_owner":   {apply: staffMakeOwner, do: "Make an owner of", done: "Made an owner of"},
		"staff.unmake_owner": {apply: staffUnmakeOwner, do: "Take ownership from", done: "Took ownership from"},
		"bar.add":            {apply: barAdd, do: "Bar", done: "Barred", needs: permit.LockStaff, daily: true},
		"bar.end":            {apply: barEnd, do: "Lift the bar of", done: "Lifted the bar of", needs: permit.LockStaff, daily: true},
		"assignment.add":     {apply: assignmentAdd, do: "Assign", done: "Assigned", needs: permit.AssignStaff, daily: true},
		"assignment.edit":    {apply: assignmentEdit, do: "Change the assignment of", done: "Changed the assignment of", needs: permit.AssignStaff, daily: true},
		"assignment.end":     {apply: assignmentEnd, do: "End the assignment of", done: "Ended the assignment of", needs: permit.AssignStaff, daily: true},
		"assignment.restore": {apply: assignmentRestore, do: "Bring back the assignment of", done: "Brought back the assignment of", needs: permit.AssignStaff, daily: true},
		"exception.add":      {apply: exceptionAdd, do: "Make an exception for", done: "Made an exception for", needs: permit.ExceptStaff, daily: true},
		"exception.set":      {apply: exceptionSet, do: "Set by exception for", done: "Set by exception for", needs: permit.ExceptStaff, daily: true},
		"exception.edit":     {apply: exceptionEdit, do: "Change an exception for", done: "Changed an exception for", needs: permit.ExceptStaff, daily: true},
		"exception.end":      {apply: exceptionEnd, do: "End an exception for", done: "Ended an exception for", needs: permit.ExceptStaff, daily: true},
		"exception.restore":  {apply: exceptionRestore, do: "Bring back an exception for", done: "Brought back an exception for", needs: permit.ExceptStaff, daily: true},
		"pin.set":            {apply: pinSet, do: "Issue a PIN to", done: "Issued a PIN to", needs: permit.IssueCredentials, daily: true, secret: true},
		"pin.withdraw":       {apply: pinWithdraw, do: "Withdraw the PIN of", done: "Withdrew the PIN of", needs: permit.IssueCredentials, daily: true},
		"password.issue":     {apply: passwordIssue, do: "Issue a first password to", done: "Issued a first password to", needs: permit.IssueCredentials, daily: true, secret: true},
		"password.set":       {apply: passwordSet, do: "Set the password of", done: "Set the password of", secret: true, own: true},
		"device.add":         {apply: deviceAdd, do: "Connect device", done: "Connected device", needs: permit.ManageDevices, secret: true},
		"device.revoke":      {apply: deviceRevoke, do: "Disconnect device", done: "Disconnected device", needs: permit.ManageDevices},
	}
}

// Operations returns the names of all operations that may be asked for, sorted.
func Operations() []string {
	var names []string
	for name, kind := range kinds {
		if !kind.own {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// Daily reports whether an operation belongs to the daily job.
func Daily(op string) bool { return kinds[op].daily }

// Secretive reports whether an operation takes in a secret or hands one out.
func Secretive(op string) bool { return kinds[op].secret }

// Done says what an operation did in a word or two: "Locked".
func Done(op string) string { return kinds[op].done }

// ToDo says what an operation is to do: "Lock".
func ToDo(op string) string { return kinds[op].do }

// unknown says that an operation is none.
func unknown(op string) string {
	return fmt.Sprintf("%q is not an operation; use one of %s", op, strings.Join(Operations(), ", "))
}
