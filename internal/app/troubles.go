package app

import (
	"cmp"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"
)

// TroubleKind is a kind of what can be wrong with how an instance runs: its name in the log, in metrics and in
// /readyz, what it is, and what to do.
type TroubleKind struct {
	Name  string
	What  string
	Do    string
	Stops bool // the instance is not fit to serve
}

// The kinds of trouble. The log, the metric latch_trouble, /readyz, the owners' Today, the alert rules and the papers
// name each by what stands here.
var (
	TroubleDatabase = kind("database", "The database does not answer",
		"Look whether the server runs and can be reached. Doors go on for as long as --refuse-after says.").stops()
	TroubleWrites = kind("writes", "The database takes nothing",
		"Look at its disk, its rights and whether it is read-only. Events wait on disk; changes are refused.").stops()
	TroubleBehind = kind("behind", "The newest changes have not been read for long",
		"Look at the database and the line to it. Doors are refused, as nobody can know who is locked.").stops()
	TroubleKey = kind("key", "The key of the database is another",
		"Give this instance the new key file and start it again. It answers nothing until then.").stops()
	TroubleSchema = kind("schema", "A newer version has brought the tables up to date",
		"Install the newer version here too and start it again. It answers nothing until then.").stops()
	TroubleJournal = kind("journal", "Events cannot be kept on disk",
		"Make room in the folder of events, or make it writable. Until then each door waits for the database, and is "+
			"refused where that takes no event.")
	TroubleLog = kind("log", "The log file cannot be written",
		"Make room, or make it writable. Until then the log goes to stderr.")
	TroubleDisk = kind("disk", "A disk is nearly full",
		"Make room on the disk of the folder that is named.")
	TroubleMail = kind("mail", "Mail does not go out",
		"Look whether the mail server runs, and at --mail-server and its password. Mail waits in the database.")
	TroubleClock = kind("clock", "The clocks of this machine and of the database differ",
		"Set both by a time server (chrony, systemd-timesyncd). Hours, expiry dates and events follow this machine.")
	TroubleCertificate = kind("certificate", "The TLS certificate ends soon, or cannot be read",
		"Renew it, and put it in the files that --tls-certificate and --tls-key name; they are read again by "+
			"themselves.")
	TroubleKeyBackup = kind("key_backup", "No backup of the key file is known",
		"Run loyald keys backup --to FILE and keep that file apart from the database's backup.")
	TroubleRotation = kind("rotation", "A rotation of the key was not finished",
		"Run loyald keys rotate --finish on the folder of the key. The service goes on with the new key meanwhile.")
	TroubleConnections = kind("connections", "Requests wait for connections to the database",
		"The database is slow, or too much is asked at once. Look at its slow queries and its load.")
	TroubleRetention = kind("retention", "More is kept than the settings say",
		"Look in the log why what is past its time could not be removed.")
	TroubleRecords = kind("records", "Records cannot be read and are set aside",
		"They give nothing to whom they are about. The log names them; correct them, or restore a backup.")
	TroubleUnexplained = kind("unexplained", "Something else than the service has written in the database",
		"Run loyald verify, which names all of it, and find out who has access.")
	TroubleRoot = kind("root", "The service runs as root",
		"Run it as a user of its own, as the unit that ships with it does.")
)

func kind(name, what, do string) *TroubleKind {
	k := &TroubleKind{Name: name, What: what, Do: do}
	TroubleKinds = append(TroubleKinds, k)
	return k
}

func (k *TroubleKind) stops() *TroubleKind {
	k.Stops = true
	return k
}

// TroubleKinds are all kinds of trouble.
var TroubleKinds []*TroubleKind

// Trouble is something that is wrong with how an instance runs.
type Trouble struct {
	*TroubleKind
	Since  time.Time
	Detail string // such as the error
}

// Troubles is what is wrong with how an instance runs. It may be used by any number of goroutines.
type Troubles struct {
	log *slog.Logger
	mu  sync.Mutex
	of  map[*TroubleKind]Trouble
}

// NewTroubles returns an empty list of troubles; each that begins or ends is logged.
func NewTroubles(log *slog.Logger) *Troubles {
	return &Troubles{log: log, of: map[*TroubleKind]Trouble{}}
}

// Note notes that there is trouble of a kind, or, where the detail is empty, that there is none any more.
func (t *Troubles) Note(k *TroubleKind, detail string) {
	t.mu.Lock()
	was, is := t.of[k]
	now := time.Now()
	switch {
	case detail == "":
		delete(t.of, k)
	case is:
		was.Detail = detail
		t.of[k] = was
	default:
		t.of[k] = Trouble{k, now, detail}
	}
	t.mu.Unlock()
	switch {
	case detail == "" && is:
		t.log.Info("over: "+k.What, "trouble", k.Name, "since", was.Since.UTC().Format(time.RFC3339),
			"lasted_seconds", int(now.Sub(was.Since).Seconds()))
	case detail != "" && !is:
		t.log.Error(k.What, "trouble", k.Name, "since", now.UTC().Format(time.RFC3339), "problem", detail, "do", k.Do)
	}
}

// NoteIf is Note with the detail where something is so, and none else.
func (t *Troubles) NoteIf(k *TroubleKind, is bool, format string, values ...any) {
	detail := ""
	if is {
		detail = fmt.Sprintf(format, values...)
	}
	t.Note(k, detail)
}

// Err notes an error as trouble of a kind; nil ends it.
func (t *Troubles) Err(k *TroubleKind, err error) {
	if err == nil {
		t.Note(k, "")
		return
	}
	t.Note(k, err.Error())
}

// All returns what is wrong, what stops the service first, then the oldest first.
func (t *Troubles) All() []Trouble {
	t.mu.Lock()
	defer t.mu.Unlock()
	list := make([]Trouble, 0, len(t.of))
	for _, one := range t.of {
		list = append(list, one)
	}
	slices.SortFunc(list, func(a, b Trouble) int {
		if a.Stops != b.Stops {
			if a.Stops {
				return -1
			}
			return 1
		}
		return cmp.Or(a.Since.Compare(b.Since), cmp.Compare(a.Name, b.Name))
	})
	return list
}

// Has reports whether there is trouble of a kind.
func (t *Troubles) Has(k *TroubleKind) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	_, is := t.of[k]
	return is
}
