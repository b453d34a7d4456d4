package api

import "time"

// TerminalWrite makes a shared terminal.
type TerminalWrite struct {
	Name  string `json:"name" maxLength:"120" doc:"Such as: Tablet by the packing hall door"`
	Place string `json:"place" maxLength:"64" doc:"Code of the place where it stands"`
	Reasoned
}

// TerminalMade is the code by which a tablet is registered.
type TerminalMade struct {
	ID        uint32    `json:"id" doc:"Number of the device"`
	Code      string    `json:"code" doc:"To be typed on the tablet, once"`
	Address   string    `json:"address" doc:"Of the page to open on the tablet"`
	ExpiresAt time.Time `json:"expires_at"`
}

// TerminalClaim registers a tablet.
type TerminalClaim struct {
	Code string `json:"code" maxLength:"20"`
}

// Terminal is what a terminal shows while nobody is signed in at it.
type Terminal struct {
	Name         string   `json:"name"`
	Place        PlaceRef `json:"place"`
	Organisation string   `json:"organisation"`
	TimeZone     string   `json:"time_zone"`
	Proof        string   `json:"proof,omitempty" doc:"What has to be shown: badge, pin, badge_or_pin or badge_and_pin"`
	At           string   `json:"at" doc:"The time there"`
}

// TerminalShow is what somebody shows at a terminal.
type TerminalShow struct {
	PIN   string `json:"pin,omitempty" maxLength:"20"`
	Badge string `json:"badge,omitempty" maxLength:"256" doc:"As it was read"`
}

// Visit is what somebody sees who has shown themselves at a terminal.
type Visit struct {
	Token       string        `json:"token,omitempty" doc:"To be sent with what they do next, in X-Visit"`
	Called      string        `json:"called"`
	IdleSeconds int           `json:"idle_seconds" doc:"After so long without use the terminal forgets them"`
	Can         []VisitCan    `json:"can" doc:"What they can do here, now"`
	Later       string        `json:"later,omitempty" doc:"Why there is nothing, or when there is"`
	Ends        []VisitEnd    `json:"ends" doc:"What runs out soon"`
	ChoosePIN   bool          `json:"choose_pin" doc:"They have to choose a new PIN"`
	MayChoose   bool          `json:"may_choose" doc:"They may choose a new PIN: they have shown the present one"`
	Notices     []VisitNotice `json:"notices" doc:"What they have to read and accept"`
}

// VisitCan is something that somebody can do at a place.
type VisitCan struct {
	Title string `json:"title"`
	Where string `json:"where"`
	Words string `json:"words,omitempty" doc:"How far, such as: up to 40 kg"`
	Until string `json:"until,omitempty" doc:"When it ends today"`
}

// VisitEnd is something of theirs that runs out soon.
type VisitEnd struct {
	What  string `json:"what"`
	Until string `json:"until" doc:"The last day that counts"`
}

// VisitNotice is a text that they have to read and accept.
type VisitNotice struct {
	Code    string `json:"code"`
	Title   string `json:"title"`
	Text    string `json:"text"`
	Version uint32 `json:"version"`
	Refuses bool   `json:"refuses"`
}

// VisitPIN is a PIN that somebody chooses.
type VisitPIN struct {
	PIN string `json:"pin" maxLength:"20"`
}

// PINVerdict says what the policy finds wrong with a PIN that is being typed.
type PINVerdict struct {
	Wrong  string `json:"wrong,omitempty" doc:"Nothing where it finds nothing"`
	Called string `json:"called,omitempty"`
}

// VisitAccept accepts a version of a notice.
type VisitAccept struct {
	Notice  string `json:"notice" maxLength:"64"`
	Version uint32 `json:"version"`
}

// PINLinkSent says that a link was sent.
type PINLinkSent struct {
	To        string    `json:"to"`
	ExpiresAt time.Time `json:"expires_at"`
}

// PINLinkUse is what somebody says at a link to choose a PIN.
type PINLinkUse struct {
	Token       string `json:"token" maxLength:"100" doc:"From the link"`
	StaffNumber string `json:"staff_number" maxLength:"64"`
	PIN         string `json:"pin,omitempty" maxLength:"20"`
}
