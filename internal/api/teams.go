package api

// TeamRef names a team.
type TeamRef struct {
	Code string `json:"code"`
	Name string `json:"name"`
	Lead bool   `json:"lead,omitempty" doc:"They lead it"`
}

// Team is a named group of staff, across sites if need be.
type Team struct {
	ID      uint32     `json:"id"`
	Code    string     `json:"code"`
	Name    string     `json:"name"`
	Summary string     `json:"summary,omitempty"`
	Leads   []StaffRef `json:"leads" doc:"Who leads it, of those you may see"`
	Members int        `json:"members" doc:"How many are in it, leads too, of those you may see"`
	Sites   []PlaceRef `json:"sites" doc:"Home sites of those whom you see whole"`
	Retired bool       `json:"retired,omitempty"`
	ETag    string     `json:"etag"`
}

// TeamFields are the fields of a team that can be written.
type TeamFields struct {
	Code    *string `json:"code,omitempty" doc:"Such as NIGHT-PACK; it stays as it is once it is made"`
	Name    *string `json:"name,omitempty"`
	Summary *string `json:"summary,omitempty"`
}

// TeamWrite adds or changes a team.
type TeamWrite struct {
	TeamFields
	Reasoned
}

// Member says that somebody is in a team.
type Member struct {
	ID       uint32   `json:"id"`
	Team     TeamRef  `json:"team"`
	Staff    StaffRef `json:"staff"`
	JobTitle string   `json:"job_title,omitempty"`
	HomeSite PlaceRef `json:"home_site,omitzero"`
	Status   string   `json:"status" enum:"prepared,active,left"`
	Lead     bool     `json:"lead" doc:"Sees the records of the others where they hold the level team"`
	ETag     string   `json:"etag"`
}

// MemberAdd puts somebody into a team.
type MemberAdd struct {
	Staff string `json:"staff" maxLength:"64" doc:"Staff number"`
	Lead  bool   `json:"lead,omitempty" doc:"As somebody who leads it"`
	Reasoned
}

// MemberWrite changes what somebody is in a team.
type MemberWrite struct {
	Lead *bool `json:"lead,omitempty" doc:"Whether they lead it"`
	Reasoned
}
