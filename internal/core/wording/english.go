package wording

import (
	"time"

	"loyallatch.example/latch/internal/core/day"
	"loyallatch.example/latch/internal/core/words"
)

// Messages are all that a language says, by what it is about. A name in braces is a place; forms for one and for
// several are parted by "|", and {n} is their number.
type Messages struct {
	// Decisions: what is said, and what would change a refusal.
	May, Nobody, DoThis, This, APlace, PlaceNotOnRecord              string
	Unknown, UnknownRemedy, TooManyTries, TooManyTriesRemedy         string
	NotValid, NotValidRemedy, RunOut, RunOutRemedy                   string
	WrongPIN, WrongPINRemedy, BadgeLost, BadgeLostRemedy             string
	BadgeSuspended, BadgeSuspendedRemedy                             string
	AsksFor, AsksForRemedy, ShowsShort, ShowsShortRemedy             string
	HasNeither, HasPINOnly, HasBadgeOnly                             string
	HasSuspended, SuspendedRemedy                                    string
	TwoPeople, TwoPeopleRemedy, Locked, LockedRemedy                 string
	Left, LeftRemedy, ContractEnded, ContractRemedy                  string
	NotStarted, NotStartedRemedy, PlaceRetired, RetiredRemedy        string
	NotForPlace, NotForPlaceRemedy, AKind                            string
	Barred, BarredUntil, BarredRemedy                                string
	Withheld, WithheldRemedy, NoAssignment, NoAssignmentRemedy       string
	AssignmentBegins, BeginsRemedy, AssignmentEnded                  string
	AssignmentEndedRemedy, WrongHour, WiderHours, WaitUntil          string
	NotToThatExtent, RaiseLevel, OnlySoFar, OnlyAtLevel, NotIncluded string
	NotAccepted, NotAcceptedRemedy, ANotice                          string
	NotIncludedHere, IncludeHereRemedy                               string
	IncludeRemedy, Unqualified, UnqualifiedRemedy, AQualification    string

	// Grounds of decisions and statements.
	CredentialOf, PlaceAsks, HasLeft, ContractEndedOn         string
	StartsOn, IsRetired, BarredFrom, LockedSince, LockedUntil string
	IsOwner, OwnersHold, ExceptionAdded, ExceptionWithheld    string
	TemplateAt, HoursFrom, ThisAssignment, TemplateIs         string
	OpeningHours, NothingGives, SettingIs, SettingByTemplate  string
	OwnHoursOf, ScheduleBy, SettingIsHere                     string
	SettingOnGroup, WithNoEnd, Until, From, FromUntil         string

	// Why hours begin or end when they do.
	ByDatedHours, ByWeeklyHours, EdgeStart, EdgeLock, EdgeDates string
	EdgeWithheld, EdgeBar, EdgeCertificate, EdgeNotice          string
	EdgeProof                                                   string

	// What ends something.
	EndsByLock, EndsByLeaving, EndsByContract, EndsByItself string
	EndsAtMoment                                            string
	EndsByException, EndsByBar, EndsByCredential            string
	EndsByQualification, EndsByLocal                        string

	// Statements.
	OwnerCan, OnceUnlocked, CanNothing, CouldNothing     string
	Can, Could, OpensNone, OpenedNone, OpensIt, OpenedIt string
	Opens, Opened, AlsoCan, AlsoCould, AskForMore        string
	MayNot, MayAlso, MightNot, MightAlso                 string
	Otherwise, NotThere, LevelAt, LevelFrom, AllOfIt     string
	IsBarred, WasBarred, UntilMoment                     string
	TermFrom, TermUntil, TermUntilWith, TermEnded        string
	TermEndedWith, TheContract, TheLeaving               string
	TheQualification, CanNothingWithout                  string

	// Obstacles and what mends them.
	ObstacleLocked, MendLock, UnreadableRecord              string
	ObstacleContract, MendContract, ObstacleBarred, MendBar string
	ObstacleEnded, MendEnded, ObstacleNowhere, MendNowhere  string
	ObstacleNothing, MendNothing, ObstacleHours, MendHours  string
	ObstacleNoCredential, ObstacleNotAccepted               string
	ObstacleSomeDoors, ObstacleNeeded, APIN, ABadge         string
	MendPIN, MendBadge, ObstacleQualification               string
	ObstacleSuspended, MendSuspended                        string
	ObstacleNoSignIn, MendNoSignIn                          string
	ObstacleNotice, MendNotice                              string
	MendQualification, TheTemplate                          string

	// Redundant exceptions.
	HasRunOut, WorksNoLonger, PermissionRetired     string
	NothingToWithhold, GivenByTemplate, HeldWithout string

	// Effects.
	NobodyFeels, NobodyLoses, NobodyGains, Both        string
	People, ManyOf, AtSites, AtPlace, AtPlaces         string
	Gain, Lose, PeopleGain, PeopleLose                 string
	ShowsMore, ShowsLess, OtherHours, Levels           string
	HoursInstead, GainHours, LoseHours                 string
	AsksInstead, AskedInstead, OnADayAhead, LosesUntil string
	AlreadyBefore                                      string
	CanNoLongerManage, CanManageNow, NotTheirsToGive   string
	LooksAfterNoLonger, AManager                       string
	ManagersNoLonger                                   string

	// What nobody takes care of but owners.
	TeamWithoutLead, SiteWithoutManager, TemplateWithoutGiver string
	MendTeam, MendSite, MendTemplate                          string
}

// English is what the product says.
var English = &Language{
	Plural: func(n int) int {
		if n == 1 {
			return 0
		}
		return 1
	},
	List: words.List, Either: words.Either, Inside: words.LowerFirst, Many: words.Plural,
	Date:    day.Date.Words,
	Moment:  func(t time.Time) string { return t.Format("2 Jan 15:04") },
	Weekday: func(t time.Time) string { return t.Format("Mon 2 Jan 15:04") },
	Messages: Messages{
		May: "{who} may {what} at {where}{extent}.", Nobody: "Nobody", DoThis: "do this", This: "this",
		APlace:           "a place",
		PlaceNotOnRecord: "a place that is not on record",
		Unknown:          "This is not known here.", UnknownRemedy: "Try again carefully, or have a new PIN issued.",
		TooManyTries:       "Too many wrong tries. Wait a moment before trying again.",
		TooManyTriesRemedy: "Wait until the terminal takes tries again.",
		NotValid:           "{who}'s credential does not count at this moment.", NotValidRemedy: "Issue a new one.",
		WrongPIN:        "The PIN that was typed is not the one that goes with this badge.",
		WrongPINRemedy:  "Type the PIN again carefully, or have a new one issued.",
		BadgeLost:       "This badge is reported lost.",
		BadgeLostRemedy: "If it was found, record that; else take it in.", BadgeSuspended: "This badge is suspended.",
		BadgeSuspendedRemedy: "Resume the badge.", RunOut: "This {kind} has run out.",
		RunOutRemedy: "Issue {who} a new {kind}, or one for longer.",
		AsksFor:      "{where} asks for {asked}.", AsksForRemedy: "Show {asked}.",
		ShowsShort:       "{where} asks for {asked}, and {who} has {owned}.",
		ShowsShortRemedy: "Issue {who} what the door asks for.",
		HasNeither:       "neither a PIN nor a badge that counts", HasPINOnly: "a PIN and no badge",
		HasBadgeOnly: "a badge and no PIN",
		HasSuspended: "a badge that is suspended", SuspendedRemedy: "Resume {who}'s badge.",
		TwoPeople: "What was shown belongs to two people.", TwoPeopleRemedy: "Show what belongs to one person.",
		Locked: "{who} is locked.", LockedRemedy: "Unlock {who}.",
		Left: "{who} has left.", LeftRemedy: "Reinstate {who}.",
		ContractEnded: "{who}'s contract ended on {date}.", ContractRemedy: "Give the contract a later end.",
		NotStarted: "{who} starts on {date}.", NotStartedRemedy: "Wait until then, or activate {who} now.",
		PlaceRetired: "{where} is no longer in use.", RetiredRemedy: "Bring the place back into use.",
		NotForPlace: "“{title}” has no meaning at {kind}.", NotForPlaceRemedy: "Ask about {kinds}.", AKind: "a {kind}",
		Barred: "{who} is barred from {place}{until}.", BarredUntil: " until {until}", BarredRemedy: "Lift the bar.",
		Withheld: "{who} may not {what}: it is withheld at {place}.", WithheldRemedy: "End the exception.",
		NoAssignment:          "{who} has no assignment at {where}.",
		NoAssignmentRemedy:    "Assign {who} at {where}, or at a place above it.",
		AssignmentBegins:      "{who}'s assignment at {place} begins on {date}.",
		BeginsRemedy:          "Let the assignment begin earlier.",
		AssignmentEnded:       "{who}'s assignment at {place} ended on {date}.",
		AssignmentEndedRemedy: "Give the assignment a later end.",
		WrongHour:             "{who} may {what} at {where}, but not at this hour.",
		WiderHours:            "Give wider access hours.",
		WaitUntil:             "Wait until {moment}, or give wider access hours.",
		NotToThatExtent:       "{who} may not {what} to that extent at {where}.",
		RaiseLevel:            "Raise the exception's level.",
		OnlyAtLevel:           "{who} may {what}, but only at the level {level}.",
		OnlySoFar:             "{who} may {what}, but only {extent}.",
		NotIncluded:           "The template {template} does not include “{title}”.",
		Unqualified:           "{who} may not {what} at {where} without a valid certificate: {needed}.",
		NotAccepted:           "{who} may not {what} at {where} before accepting a notice: {needed}.",
		NotAcceptedRemedy: "{who} reads and accepts it at a shared terminal, or a paper that is signed is put " +
			"on record.",
		ANotice:           "a notice",
		UnqualifiedRemedy: "Record the certificate of {who}, or give it a later end.",
		AQualification:    "a qualification",
		NotIncludedHere:   "The template {template} does not include “{title}” at {place}, by a local setting.",
		IncludeHereRemedy: "End or change the local setting, or add it for {who} alone by an exception.",
		IncludeRemedy:     "Assign a template that includes it, or add it for {who} alone by an exception.",

		CredentialOf: "{kind} of {who}, {state}", PlaceAsks: "{where} asks for {asked}",
		HasLeft:         "{name} has left",
		ContractEndedOn: "contract ended on {date}", StartsOn: "starts on {date}", IsRetired: "{where} is retired",
		BarredFrom: "barred from {place}: {reason}", LockedSince: "locked since {since}: {reason}",
		LockedUntil: ", until {until}",
		IsOwner:     "{who} is an owner, and owners hold everything", OwnersHold: "owners hold everything",
		ExceptionAdded:    "added at {place} by exception{dates}: {reason}",
		ExceptionWithheld: "withheld at {place} by exception{dates}: {reason}",
		TemplateAt:        "{template} at {place}{dates}", HoursFrom: "{hours} ({from})",
		ThisAssignment: "this assignment",
		TemplateIs:     "template {template}", OpeningHours: "opening hours",
		OwnHoursOf: "the record of {who}", ScheduleBy: "schedule {schedule}, by {by}",
		NothingGives: "nothing in this template gives “{title}”",
		SettingIs:    "“{title}” is set to {word}", SettingByTemplate: " by template {template}",
		SettingIsHere:  "“{title}” is set to {word} at {place}{dates}, by a local setting of {template}: {reason}",
		SettingOnGroup: ", on the group {group}",
		WithNoEnd:      ", with no end", Until: ", until {until}", From: ", from {from}",
		FromUntil: ", from {from} until {until}",

		ByDatedHours: "dated hours: {name}", ByWeeklyHours: "weekly hours", EdgeStart: "the start date",
		EdgeLock: "a lock", EdgeDates: "the dates of an assignment, exception or local setting",
		EdgeWithheld: "an exception that withholds it", EdgeBar: "a bar", EdgeCertificate: "a certificate",
		EdgeNotice: "a notice to accept", EdgeProof: "what the door asks for",

		EndsAtMoment: "{what}, {moment}",
		EndsByLock:   "locked from then", EndsByLeaving: "leaves", EndsByContract: "contract ends",
		EndsByItself: "assignment or exception ends", EndsByException: "withheld from then",
		EndsByBar: "barred from then", EndsByLocal: "exception ends, or local setting begins or ends",
		EndsByCredential: "PIN or badge runs out", EndsByQualification: "a qualification runs out",

		OwnerCan: "{who} is an owner and can do everything, everywhere.", OnceUnlocked: "Once unlocked, {who}",
		CanNothing:   "{who} can do nothing at {place}: the template {template} gives nothing there.",
		CouldNothing: "{who} could do nothing at {place}: the template {template} gives nothing there.",
		Can:          "{who} can {list} at {place}{tail}.", Could: "{who} could {list} at {place}{tail}.",
		OpensNone: "{who} opens no door at {place}{tail}.", OpenedNone: "{who} opened no door at {place}{tail}.",
		OpensIt: "{who} opens {place}{tail}.", OpenedIt: "{who} opened {place}{tail}.",
		Opens:     "{who} opens {n} door at {place}{tail}.|{who} opens {n} doors at {place}{tail}.",
		Opened:    "{who} opened {n} door at {place}{tail}.|{who} opened {n} doors at {place}{tail}.",
		Otherwise: "{what} ({notes})", NotThere: "not", LevelAt: "{level} at {place}",
		LevelFrom: "{level} from {from}", AllOfIt: "yes",
		AlsoCan: "There, {who} can also {list}.", AlsoCould: "There, {who} could also {list}.",
		AskForMore: "{n} door asks for more than {who} has to show, such as {door}, which asks for {asked}.|" +
			"{n} doors ask for more than {who} has to show, such as {door}, which asks for {asked}.",
		MayNot:      "{who} may not {what} at {place} by exception{tail}.",
		MayAlso:     "{who} may also {what} at {place} by exception{tail}.",
		MightNot:    "{who} might not {what} at {place} by exception{tail}.",
		MightAlso:   "{who} might also {what} at {place} by exception{tail}.",
		IsBarred:    "{who} is barred from {place} and all in it{until}.",
		WasBarred:   "{who} was barred from {place} and all in it{until}.",
		UntilMoment: ", until {until}", TermFrom: ", from {from}", TermUntil: ", until {until}",
		TermUntilWith: ", until {until}, with {what}",
		TermEnded:     "; this ended on {until}", TermEndedWith: "; this ended with {what} on {until}",
		TheContract: "the contract", TheLeaving: "the leaving date", TheQualification: "a qualification",
		CanNothingWithout: "{who} can do nothing at {place} as {template} yet: this takes {needed}.",

		ObstacleLocked: "{who} is locked: {reason}.", MendLock: "Unlock when the cause is settled.",
		UnreadableRecord: "a record of theirs cannot be read",
		ObstacleContract: "{who}'s contract ended on {date}.",
		MendContract:     "Extend the contract, or record the leaving.",
		ObstacleBarred:   "{who} is barred from {place}: {reason}.", MendBar: "Lift the bar when the cause is settled.",
		ObstacleEnded:   "{who}'s last assignment has ended.",
		MendEnded:       "Give the assignment a later end, or assign anew.",
		ObstacleNowhere: "{who} has no assignment.", MendNowhere: "Say where and as what.",
		ObstacleNothing: "{who}'s template gives nothing at the places assigned.",
		MendNothing:     "Choose a template that fits the place.",
		ObstacleHours:   "{who}'s access hours never meet the opening hours.", MendHours: "Change the access hours.",
		ObstacleNoCredential: "{who} has no PIN and no badge.", MendPIN: "Issue a PIN.", MendBadge: "Issue a badge.",
		ObstacleNoSignIn:  "{who} has no password, and cannot sign in to this console.",
		MendNoSignIn:      "Issue a first password.",
		ObstacleSuspended: "{who}'s badge is suspended.", MendSuspended: "Resume the badge.",
		ObstacleNotAccepted: "No door that {who} may open takes what {who} has.",
		ObstacleSomeDoors: "{n} door that {who} is meant to pass asks for more than {who} has: {door}.|" +
			"{n} doors that {who} is meant to pass ask for more than {who} has, such as {door}.",
		ObstacleNeeded: "{who} has no {needed}, and the template {template} needs one.", APIN: "PIN", ABadge: "badge",

		ObstacleNotice:        "{who} has not accepted the notice “{notice}”.",
		MendNotice:            "It is read and accepted at a shared terminal, or put on record from paper.",
		ObstacleQualification: "{who} holds no valid certificate for {needed}, which {what} requires.",
		TheTemplate:           "the template {template}",
		MendQualification:     "Record the certificate, or give it a later end.",

		HasRunOut: "It has run out.", WorksNoLonger: "{who} no longer works here.",
		PermissionRetired: "The permission is retired.",
		NothingToWithhold: "Nothing gives this there, so there is nothing to withhold.",
		GivenByTemplate:   "The template {template} gives this by now.", HeldWithout: "This is held without it.",

		NobodyFeels: "Nobody gains and nobody loses.", NobodyLoses: "{gained}; nobody loses.",
		NobodyGains: "{lost}; nobody gains.",
		Both:        "{gained}; {lost}.", People: "{n} person|{n} people", ManyOf: "{n} {one}|{n} {many}",
		AtSites: " at {n} site| at {n} sites",
		AtPlace: " at {place}", AtPlaces: " at {n} place| at {n} places",
		Gain:       "{who}{where} gains “{title}”{detail}|{who}{where} gain “{title}”{detail}",
		Lose:       "{who}{where} loses “{title}”{detail}|{who}{where} lose “{title}”{detail}",
		GainHours:  "{who}{where} gains hours{detail}|{who}{where} gain hours{detail}",
		LoseHours:  "{who}{where} loses hours{detail}|{who}{where} lose hours{detail}",
		PeopleGain: "{n} person gains|{n} people gain", PeopleLose: "{n} person loses|{n} people lose",
		ShowsMore:  ": has to show more than before, or has less to show",
		ShowsLess:  ": may show less than before, or has more to show",
		OtherHours: ": other hours than before", HoursInstead: ": {after} instead of {before}",
		Levels:       " ({before} → {after})",
		AsksInstead:  " and no longer passes there, where “{title}” is asked for now",
		AskedInstead: " and passes there, where “{title}” was asked for before",
		OnADayAhead:  ", on a day ahead", LosesUntil: ", until {date}", AlreadyBefore: ", already before {date}",
		CanNoLongerManage:  "{who} can no longer manage {whom}: {why}",
		CanManageNow:       "{who} can manage {whom} from now on",
		NotTheirsToGive:    "cannot give “{title}” at {place}",
		LooksAfterNoLonger: "no longer a manager of the home site", AManager: "A manager you cannot view",
		TeamWithoutLead: "The team {name} has no lead.", MendTeam: "Name a lead of the team.",
		SiteWithoutManager:   "Only owners manage the people of {name}.",
		MendSite:             "Assign a manager at the site.",
		TemplateWithoutGiver: "Only owners can give the template {name}.",
		MendTemplate:         "Set what a manager can give in the manager's template.",
		ManagersNoLonger:     "{n} manager can no longer manage {whom}|{n} managers can no longer manage {whom}",
	},
}
