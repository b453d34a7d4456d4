package app

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"syscall"
	"time"

	"loyallatch.example/latch/internal/store"
)

// journal holds events on disk until the database has them, as lines of JSON. It has two files: one takes what comes
// while what the other holds is being written. An instance holds its files locked, so that another on the same folder
// knows those of one that has ended, and writes what they hold.
type journal struct {
	folder string
	files  []*os.File
	now    int // that takes what comes
	line   []byte
	cut    [2]bool // whose last line was not written whole
}

const journalFiles = "events-*.jsonl"

func openJournal(folder string) (*journal, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, fmt.Errorf("the folder for events that wait cannot be made: %w", err)
	}
	j := &journal{folder: folder}
	name := strconv.FormatUint(rand.Uint64(), 36)
	for _, which := range []string{"a", "b"} {
		file, err := openJournalFile(filepath.Join(folder, "events-"+name+"-"+which+".jsonl"))
		if err != nil {
			return nil, fmt.Errorf("events cannot be kept in %s: %w", folder, err)
		}
		j.files = append(j.files, file)
	}
	return j, nil
}

func openJournalFile(path string) (*os.File, error) {
	file, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE|os.O_EXCL|os.O_APPEND, 0o600)
	if err == nil {
		err = syscall.Flock(int(file.Fd()), syscall.LOCK_EX|syscall.LOCK_NB)
	}
	return file, err
}

// add appends an event. It is with the operating system then, so that the end of the process does not lose it.
func (j *journal) add(e *store.Event) error {
	j.line = j.line[:0]
	if j.cut[j.now] { // what stands before is no line, and is passed over alone
		j.line = append(j.line, '\n')
	}
	j.line = appendEvent(j.line, e)
	n, err := j.files[j.now].Write(j.line)
	j.cut[j.now] = err != nil && (n > 0 || j.cut[j.now])
	return err
}

// stands opens files anew that somebody has removed: what is written to such a one is gone with the process.
func (j *journal) stands() error {
	for i, file := range j.files {
		var info syscall.Stat_t
		if err := syscall.Fstat(int(file.Fd()), &info); err != nil {
			return err
		}
		if info.Nlink > 0 {
			continue
		}
		again, err := j.anew(file)
		if err != nil {
			return fmt.Errorf("events cannot be kept in %s: %w", j.folder, err)
		}
		j.files[i], j.cut[i] = again, false
	}
	return nil
}

// anew makes a file again that was removed, with what it held.
func (j *journal) anew(removed *os.File) (*os.File, error) {
	if err := os.MkdirAll(j.folder, 0o700); err != nil {
		return nil, err
	}
	file, err := openJournalFile(removed.Name())
	if err != nil {
		return nil, err
	}
	if _, err = io.Copy(file, io.NewSectionReader(removed, 0, math.MaxInt64)); err != nil {
		gone := os.Remove(file.Name())
		closed := file.Close()
		return nil, errors.Join(err, gone, closed)
	}
	return file, nil // the other one may be read from yet; it is closed once nothing does
}

// appendEvent appends an event as a line of JSON, as json.Marshal would write it: doors wait for this.
func appendEvent(line []byte, e *store.Event) []byte {
	line = append(line, `{"ID":`...)
	line = strconv.AppendUint(line, e.ID, 10)
	line = append(line, `,"At":"`...)
	line = e.At.AppendFormat(line, time.RFC3339Nano)
	line = append(line, `","Allowed":`...)
	line = strconv.AppendBool(line, e.Allowed)
	for _, field := range [...]struct {
		name  string
		value uint64
	}{{"DeviceID", uint64(e.DeviceID)}, {"PlaceID", uint64(e.PlaceID)}, {"StaffID", uint64(e.StaffID)},
		{"PermissionID", uint64(e.PermissionID)}, {"Reason", uint64(e.Reason)},
		{"AssignmentID", uint64(e.AssignmentID)}, {"Revision", e.Revision}, {"Shown", uint64(e.Shown)},
		{"PINID", uint64(e.PINID)}, {"BadgeID", uint64(e.BadgeID)}, {"AboutID", uint64(e.AboutID)}} {
		line = append(append(append(line, `,"`...), field.name...), `":`...)
		line = strconv.AppendUint(line, field.value, 10)
	}
	line = strconv.AppendInt(append(line, `,"Level":`...), int64(e.Level), 10)
	line = strconv.AppendInt(append(line, `,"AskedLevel":`...), int64(e.AskedLevel), 10)
	return append(line, "}\n"...)
}

// turn has the other file take what comes from now on; it is empty.
func (j *journal) turn() { j.now = 1 - j.now }

// done empties the file of what was taken.
func (j *journal) done() {
	if j.files[1-j.now].Truncate(0) == nil {
		j.cut[1-j.now] = false
	}
}

// taken is the file of what is being written.
func (j *journal) taken() *os.File { return j.files[1-j.now] }

// each hands out the events of the file that was taken, in batches, until do refuses one. A line that was not written
// whole is passed over.
func (j *journal) each(do func([]store.Event) bool) bool { return eventsOf(j.files[1-j.now], do) }

func eventsOf(file *os.File, do func([]store.Event) bool) bool {
	if _, err := file.Seek(0, 0); err != nil {
		return false
	}
	var batch []store.Event
	lines := bufio.NewScanner(file)
	for lines.Scan() {
		var e store.Event
		if json.Unmarshal(lines.Bytes(), &e) != nil {
			continue
		}
		if batch = append(batch, e); len(batch) == eventBatch {
			if !do(batch) {
				return false
			}
			batch = batch[:0]
		}
	}
	return lines.Err() == nil && (len(batch) == 0 || do(batch))
}

// close lets go of the files; those that hold nothing are removed.
func (j *journal) close() {
	for _, file := range j.files {
		if info, err := file.Stat(); err == nil && info.Size() == 0 {
			_ = os.Remove(file.Name())
		}
		_ = file.Close()
	}
}

// leftJournal is a file of an instance that has ended.
type leftJournal struct{ file *os.File }

func (l leftJournal) each(do func([]store.Event) bool) bool { return eventsOf(l.file, do) }
func (l leftJournal) remove()                               { _ = os.Remove(l.file.Name()) }
func (l leftJournal) close()                                { _ = l.file.Close() }

// abandoned returns the files of instances that have ended, locked.
func (j *journal) abandoned() (left []leftJournal) {
	paths, err := filepath.Glob(filepath.Join(j.folder, journalFiles))
	if err != nil {
		return nil
	}
	for _, path := range paths {
		file, err := os.OpenFile(path, os.O_RDWR, 0)
		if err != nil {
			continue
		}
		if err := syscall.Flock(int(file.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
			_ = file.Close() // it is in use, here or by another
			continue
		}
		left = append(left, leftJournal{file})
	}
	return left
}
