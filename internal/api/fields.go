package api

// RecordField is a field of people's records of the organisation's own making.
type RecordField struct {
	Key      string   `json:"key"`
	Name     string   `json:"name"`
	Says     string   `json:"says,omitempty" doc:"What to write in it"`
	Kind     string   `json:"kind" enum:"text,number,date,choice"`
	Choices  []string `json:"choices,omitempty"`
	Required bool     `json:"required,omitempty" doc:"Of whoever is enrolled by somebody who may write it"`
	SeenBy   string   `json:"seen_by" enum:"viewers,editors,owners" doc:"viewers: whoever sees the record whole; editors: whoever may change the record"`
	Retired  bool     `json:"retired,omitempty" doc:"Not written any more; what was written is kept"`
	Writes   bool     `json:"writes,omitempty" doc:"You may write it when you enrol somebody"`
	Filled   int      `json:"filled" doc:"How many records hold something in it, of those you may see"`
}

// RecordFieldFields are the fields of a record field that can be written. Fields not sent stay as they are.
type RecordFieldFields struct {
	Key      *string   `json:"key,omitempty" doc:"Such as shoe_size; it stays as it is once it is made"`
	Name     *string   `json:"name,omitempty"`
	Says     *string   `json:"says,omitempty" doc:"What to write in it"`
	Kind     *string   `json:"kind,omitempty" enum:"text,number,date,choice" doc:"It stays as it is once it is made"`
	Choices  *[]string `json:"choices,omitempty" maxItems:"50"`
	Required *bool     `json:"required,omitempty"`
	SeenBy   *string   `json:"seen_by,omitempty" enum:"viewers,editors,owners"`
}

// RecordFieldWrite adds or changes a field of people's records.
type RecordFieldWrite struct {
	RecordFieldFields
	Reasoned
}

// StaffValue is what stands in a field of people's records.
type StaffValue struct {
	Value string `json:"value"`
	Count int    `json:"count" doc:"How many have it"`
}
