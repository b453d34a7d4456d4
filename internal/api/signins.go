package api

import "time"

// SignInAccount is somebody who signs in to the console, or may.
type SignInAccount struct {
	Staff      StaffRef   `json:"staff"`
	Email      string     `json:"email,omitempty"`
	HomeSite   PlaceRef   `json:"home_site"`
	State      string     `json:"state" enum:"signs_in,first_password,none,run_out,locked" doc:"none: they may use the console and have no password"`
	Last       *time.Time `json:"last_sign_in,omitempty" doc:"Left out: never, as far as is known"`
	UnusedDays *int       `json:"unused_days,omitempty" doc:"Since they last signed in, or else since the password was issued"`
	Sessions   int        `json:"sessions" doc:"Sessions and tokens that count"`
	Owner      bool       `json:"owner,omitempty"`
}

// StaffChosen names several people.
type StaffChosen struct {
	Staff []string `json:"staff" minItems:"1" maxItems:"200" doc:"Staff numbers"`
}

// Settled says what came of something that was done for several people.
type Settled struct {
	Done    []string      `json:"done" doc:"Staff numbers"`
	Refused []SettledFail `json:"refused"`
}

// SettledFail says for whom it was not done, and why.
type SettledFail struct {
	Staff string `json:"staff" doc:"Staff number"`
	Why   string `json:"why"`
}

// Forgotten asks for a link to choose a password.
type Forgotten struct {
	Name string `json:"name" maxLength:"254" doc:"Work email or staff number"`
}

// PasswordLinkUse is what somebody says at a link to choose a password.
type PasswordLinkUse struct {
	Token       string `json:"token" maxLength:"100" doc:"From the link"`
	StaffNumber string `json:"staff_number" maxLength:"64"`
	Password    string `json:"password,omitempty" maxLength:"200"`
}
