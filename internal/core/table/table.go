// Package table holds the collections that a state of the organisation is made of: forks of a collection share what
// neither has written, so that a state can be read by many while the next one is being prepared, and making the next
// one costs only what changes.
//
// # Invariants
//
// A collection that has been forked is not written again: the fork is. Numbers of a Table and of Rows are dense and
// begin at 1. What is put in is not changed any more.
//
// # Concurrency
//
// Any number of goroutines may read a collection that nobody writes. The zero value of each is empty and ready to use.
package table

import "hash/maphash"

const pageSize = 256

type owner struct{ _ byte }

type page[T any] struct {
	owner *owner
	items [pageSize]*T
}

// Table holds items by a dense number from 1 on. The zero Table is empty and ready to use.
// A Table that has been forked must not be written again; write the fork.
type Table[T any] struct {
	owner *owner
	pages []*page[T]
	last  uint32
}

// Fork returns a table with the same items that can be written without the first one noticing.
func (t *Table[T]) Fork() Table[T] {
	return Table[T]{owner: new(owner), pages: append([]*page[T](nil), t.pages...), last: t.last}
}

// Get returns the item with the number, or nil.
func (t *Table[T]) Get(id uint32) *T {
	if int(id/pageSize) >= len(t.pages) {
		return nil
	}
	if p := t.pages[id/pageSize]; p != nil {
		return p.items[id%pageSize]
	}
	return nil
}

// Put stores the item under the number. Items are shared between forks: store a new one, never change one.
func (t *Table[T]) Put(id uint32, item *T) {
	if t.owner == nil {
		t.owner = new(owner)
	}
	number := int(id / pageSize)
	for len(t.pages) <= number {
		t.pages = append(t.pages, nil)
	}
	p := t.pages[number]
	switch {
	case p == nil:
		p = &page[T]{owner: t.owner}
		t.pages[number] = p
	case p.owner != t.owner:
		p = &page[T]{owner: t.owner, items: p.items}
		t.pages[number] = p
	}
	p.items[id%pageSize] = item
	t.last = max(t.last, id)
}

// Differing yields the numbers under which two tables hold different items. Pages that forks share cost one look.
func (t *Table[T]) Differing(other *Table[T]) func(yield func(uint32) bool) {
	page := func(of *Table[T], number int) *page[T] {
		if number < len(of.pages) {
			return of.pages[number]
		}
		return nil
	}
	return func(yield func(uint32) bool) {
		for number := range max(len(t.pages), len(other.pages)) {
			a, b := page(t, number), page(other, number)
			if a == b {
				continue
			}
			for i := range pageSize {
				var one, two *T
				if a != nil {
					one = a.items[i]
				}
				if b != nil {
					two = b.items[i]
				}
				if one != two && !yield(uint32(number*pageSize+i)) {
					return
				}
			}
		}
	}
}

// Next returns the lowest number above all that were ever used.
func (t *Table[T]) Next() uint32 { return t.last + 1 }

// Last returns the highest number in use.
func (t *Table[T]) Last() uint32 { return t.last }

// All yields the items in the order of their numbers.
func (t *Table[T]) All() func(yield func(uint32, *T) bool) {
	return func(yield func(uint32, *T) bool) {
		for number, p := range t.pages {
			if p == nil {
				continue
			}
			for i, item := range p.items {
				if item != nil && !yield(uint32(number*pageSize+i), item) {
					return
				}
			}
		}
	}
}

const rowsPerPage = 64

type rowPage[T any] struct {
	owner *owner
	known uint64 // a bit for each row that is there
	rows  [rowsPerPage]T
}

// Rows holds values by a dense number, the values themselves side by side rather than pointers to them: what is read
// far more often than written is found with one look less. It forks as a Table does. The zero Rows is empty.
type Rows[T any] struct {
	owner *owner
	pages []*rowPage[T]
}

// Fork returns rows with the same values that can be written without the first noticing.
func (r *Rows[T]) Fork() Rows[T] {
	return Rows[T]{owner: new(owner), pages: append([]*rowPage[T](nil), r.pages...)}
}

// Get returns the value with the number, which must not be written. Where none was put it returns nil or a zero
// value: to tell would cost a second look into memory at each call.
func (r *Rows[T]) Get(id uint32) *T {
	if int(id/rowsPerPage) >= len(r.pages) {
		return nil
	}
	p := r.pages[id/rowsPerPage]
	if p == nil {
		return nil
	}
	return &p.rows[id%rowsPerPage]
}

// Put stores the value under the number.
func (r *Rows[T]) Put(id uint32, value T) {
	if r.owner == nil {
		r.owner = new(owner)
	}
	number := int(id / rowsPerPage)
	for len(r.pages) <= number {
		r.pages = append(r.pages, nil)
	}
	p := r.pages[number]
	switch {
	case p == nil:
		p = &rowPage[T]{owner: r.owner}
		r.pages[number] = p
	case p.owner != r.owner:
		copied := *p
		copied.owner = r.owner
		p = &copied
		r.pages[number] = p
	}
	p.known |= 1 << (id % rowsPerPage)
	p.rows[id%rowsPerPage] = value
}

// Differing yields the numbers, in use in either, that may hold different values: those of pages that forks do not
// share.
func (r *Rows[T]) Differing(other *Rows[T]) func(yield func(uint32) bool) {
	page := func(of *Rows[T], number int) *rowPage[T] {
		if number < len(of.pages) {
			return of.pages[number]
		}
		return nil
	}
	return func(yield func(uint32) bool) {
		for number := range max(len(r.pages), len(other.pages)) {
			a, b := page(r, number), page(other, number)
			if a == b {
				continue
			}
			var known uint64
			for _, p := range []*rowPage[T]{a, b} {
				if p != nil {
					known |= p.known
				}
			}
			for i := uint32(0); i < rowsPerPage; i++ {
				if known&(1<<i) != 0 && !yield(uint32(number)*rowsPerPage+i) {
					return
				}
			}
		}
	}
}

// Numbers yields the numbers in use, in order.
func (r *Rows[T]) Numbers(yield func(uint32) bool) {
	for number, p := range r.pages {
		for i := uint32(0); p != nil && i < rowsPerPage; i++ {
			if p.known&(1<<i) != 0 && !yield(uint32(number)*rowsPerPage+i) {
				return
			}
		}
	}
}

const shardCount = 1024

type shard[K comparable, V any] struct {
	owner *owner
	items map[K]V
}

var seed = maphash.MakeSeed()

// Index finds values by key and forks as a Table does. The zero Index is empty and ready to use.
type Index[K comparable, V any] struct {
	owner  *owner
	shards []*shard[K, V]
}

// Fork returns an index with the same entries that can be written on its own.
func (x *Index[K, V]) Fork() Index[K, V] {
	return Index[K, V]{owner: new(owner), shards: append([]*shard[K, V](nil), x.shards...)}
}

// Get returns the value of the key.
func (x *Index[K, V]) Get(key K) (value V, found bool) {
	if x.shards == nil {
		return value, false
	}
	s := x.shards[maphash.Comparable(seed, key)%shardCount]
	if s == nil {
		return value, false
	}
	value, found = s.items[key]
	return value, found
}

// Put stores the value under the key.
func (x *Index[K, V]) Put(key K, value V) { x.writable(key).items[key] = value }

// Delete forgets the key.
func (x *Index[K, V]) Delete(key K) { delete(x.writable(key).items, key) }

func (x *Index[K, V]) writable(key K) *shard[K, V] {
	if x.shards == nil {
		x.shards = make([]*shard[K, V], shardCount)
	}
	if x.owner == nil {
		x.owner = new(owner)
	}
	number := maphash.Comparable(seed, key) % shardCount
	s := x.shards[number]
	switch {
	case s == nil:
		s = &shard[K, V]{owner: x.owner, items: map[K]V{}}
		x.shards[number] = s
	case s.owner != x.owner:
		copied := make(map[K]V, len(s.items)+1)
		for k, v := range s.items {
			copied[k] = v
		}
		s = &shard[K, V]{owner: x.owner, items: copied}
		x.shards[number] = s
	}
	return s
}
