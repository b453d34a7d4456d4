package httpapi

import (
	"maps"
	"slices"

	"github.com/danielgtaylor/huma/v2"
)

// tags say what the operations of the API are about, in the machine-readable description.
var tags = map[string]string{
	"assignments":    "Who works where, with which template, between which dates.",
	"audit":          "Who changed what, and when. The log can't be edited, and verifies.",
	"badges":         "The stock of badges, who has which, and what becomes of one that is lost.",
	"bars":           "Whom a place refuses, whatever else they have.",
	"catalogue":      "Groups of permissions, and what each permission is.",
	"changes":        "Several operations as one change, whole or not at all; what changed, and undoing it.",
	"credentials":    "PINs, badges and passwords that people have; their secrets are shown once.",
	"decisions":      "What a door or a terminal asks: may this person do this here, now?",
	"devices":        "Door controllers and terminals that ask for decisions.",
	"drafts":         "Edits collected to be made as one change, now or at a moment.",
	"events":         "What was decided at doors and terminals.",
	"exceptions":     "What one person has beyond a template, or has withheld.",
	"expiring":       "What runs out, as a list and as a calendar.",
	"grid":           "People by permissions at a place, or people by places for a permission.",
	"hours":          "Opening hours of places, closed days, and access hours in words.",
	"imports":        "Files of people: a trial run row by row, then one change.",
	"leavers":        "Who leaves, and what is to be done until then.",
	"local-settings": "What a template gives otherwise at a place, for everybody who has it there.",
	"messages":       "What is written by mail, how it is worded, and to whom.",
	"notices":        "Texts that people read and accept.",
	"organisation":   "The settings of the organisation.",
	"places":         "Sites, zones, doors, devices and work centres.",
	"qualifications": "What people may have to be qualified in, and their certificates.",
	"reports":        "Who works where, starters and leavers, badges out, what is not used.",
	"rulebook":       "Templates, permissions and settings as a file.",
	"schedules":      "Access hours with a name.",
	"session":        "Signing in to the console or for a token, and where one is signed in.",
	"staff":          "People on record, from before they start until after they have left.",
	"teams":          "Named groups of staff across sites, and who leads them.",
	"templates":      "Sets of permissions that people work with.",
	"terminals":      "What a shared terminal shows to whoever is signed in at it.",
	"today":          "What needs a manager today.",
}

// tagsInOrder lists them by name.
func tagsInOrder() (list []*huma.Tag) {
	for _, name := range slices.Sorted(maps.Keys(tags)) {
		list = append(list, &huma.Tag{Name: name, Description: tags[name]})
	}
	return list
}
