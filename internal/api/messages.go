package api

import "time"

// Message is a sort of message that the service sends by mail.
type Message struct {
	Kind         string        `json:"kind"`
	Title        string        `json:"title"`
	When         string        `json:"when" doc:"When it is sent, in a sentence"`
	ToOthers     bool          `json:"to_others" doc:"It goes to whoever looks after the person, not to the person"`
	Fixed        bool          `json:"fixed" doc:"It is always sent, as somebody asks for it"`
	Send         bool          `json:"send" doc:"Whether it is sent"`
	Subject      string        `json:"subject"`
	Text         string        `json:"text"`
	Edited       bool          `json:"edited" doc:"It is worded otherwise than at first"`
	FirstSubject string        `json:"first_subject" doc:"As it is worded at first"`
	FirstText    string        `json:"first_text" doc:"As it is worded at first"`
	Placeholders []Placeholder `json:"placeholders"`
}

// Placeholder is a word in braces that is filled in.
type Placeholder struct {
	Name   string `json:"name" example:"called"`
	Says   string `json:"says" doc:"What stands there"`
	Needed bool   `json:"needed,omitempty" doc:"The text cannot do without it"`
}

// MessageFields are what can be changed of a message.
type MessageFields struct {
	Subject *string `json:"subject,omitempty" maxLength:"150" doc:"Empty: as at first"`
	Text    *string `json:"text,omitempty" maxLength:"4000" doc:"Empty: as at first"`
	Send    *bool   `json:"send,omitempty" doc:"Whether it is sent"`
}

// MessageWrite changes how a message is worded, and whether it is sent.
type MessageWrite struct {
	MessageFields
	Reasoned
}

// MessageTry asks how a message would read.
type MessageTry struct {
	Staff   string  `json:"staff" maxLength:"64" doc:"Staff number of whom it is about"`
	Subject *string `json:"subject,omitempty" maxLength:"150" doc:"Another wording; as it is now where left out"`
	Text    *string `json:"text,omitempty" maxLength:"4000" doc:"Another wording; as it is now where left out"`
}

// MessageRead is a message as somebody would get it.
type MessageRead struct {
	Subject string `json:"subject"`
	Text    string `json:"text"`
	HTML    string `json:"html"`
}

// MessageSent is a message to somebody, and what became of it. What it says is not kept.
type MessageSent struct {
	ID      uint64     `json:"id"`
	Kind    string     `json:"kind"`
	Title   string     `json:"title"`
	To      string     `json:"to"`
	State   string     `json:"state" enum:"sent,waiting,failed"`
	MadeAt  time.Time  `json:"made_at"`
	SentAt  *time.Time `json:"sent_at,omitempty"`
	Tries   uint32     `json:"tries"`
	Problem string     `json:"problem,omitempty" doc:"What the mail server said when it was not taken"`
	Digest  string     `json:"digest,omitempty" enum:"daily,weekly" doc:"It goes out with all of a day or a week"`
}

// MessageChoices are what a manager is told by mail, how often, and about whom.
type MessageChoices struct {
	Kinds map[string]string `json:"kinds" doc:"By kind of message: at_once, daily, weekly or never; at once where left out"`
	Sites []string          `json:"sites" maxItems:"500" doc:"Codes of the home sites of whom they are told; none: of all"`
}
