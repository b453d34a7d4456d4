package api

import "time"

// Expiring is something that runs out by itself.
type Expiring struct {
	Kind      string    `json:"kind" enum:"leaving,contract,assignment,exception,badge,pin,password,certificate,token,bar,lock"`
	ID        uint32    `json:"id" doc:"Number of the record; of a contract, a leaving date or a lock that of the person"`
	Staff     StaffRef  `json:"staff"`
	HomeSite  PlaceRef  `json:"home_site"`
	Manager   *StaffRef `json:"manager,omitempty" doc:"Their line manager"`
	What      string    `json:"what" doc:"In words"`
	Place     *PlaceRef `json:"place,omitempty" doc:"Where it counts"`
	At        time.Time `json:"at" doc:"The first instant at which it no longer counts"`
	Until     string    `json:"until" format:"date" doc:"The last day on which it counts"`
	UntilWhen string    `json:"until_when" doc:"That day in words, with the time where it ends within the day: 4 Dec 2026, 14:30"`
	Days      int       `json:"days" doc:"From today until that day"`
	Renewable bool      `json:"renewable" doc:"It can be given a new last day"`
	LetGo     *LetGo    `json:"let_go,omitempty" doc:"Somebody has said that it may run out"`
}

// LetGo says who let something run out, and why.
type LetGo struct {
	By     *StaffRef `json:"by,omitempty"`
	Reason string    `json:"reason"`
	At     time.Time `json:"at"`
}

// ExpiringItem names something that runs out.
type ExpiringItem struct {
	Kind string `json:"kind" enum:"leaving,contract,assignment,exception,badge,pin,password,certificate,token,bar,lock"`
	ID   uint32 `json:"id"`
}

// RenewWrite gives what runs out a new last day.
type RenewWrite struct {
	Items []ExpiringItem `json:"items" minItems:"1" maxItems:"500"`
	Until string         `json:"until" format:"date" doc:"The new last day that counts"`
	Reasoned
}

// LetGoWrite lets what runs out run out.
type LetGoWrite struct {
	Items  []ExpiringItem `json:"items" minItems:"1" maxItems:"500"`
	Reason string         `json:"reason" maxLength:"500" doc:"Why it may run out"`
}

// Feed is an address at which a calendar reads what runs out.
type Feed struct {
	ID        uint64     `json:"id"`
	Name      string     `json:"name"`
	CreatedAt time.Time  `json:"created_at"`
	LastUsed  *time.Time `json:"last_used,omitempty"`
}

// FeedWrite makes an address for a calendar.
type FeedWrite struct {
	Name string `json:"name" maxLength:"100" doc:"Such as the name of your calendar"`
}

// FeedMade is an address that is shown this once.
type FeedMade struct {
	Address string `json:"address" doc:"Whoever has it reads what runs out, as you would: keep it to yourself"`
}
