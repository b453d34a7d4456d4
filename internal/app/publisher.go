package app

import (
	"slices"
	"sync"
	"sync/atomic"
)

// A publisher owns the state that this instance answers from: the last change that it knows, the base, with the urgent
// acts that wait on top. It makes a state visible to every later decision before it says that it is published, and only
// what is published may be reported to other instances: whoever locks somebody relies on that report. No other code
// stores either. Its methods may be called by any number of goroutines.
type publisher struct {
	apply   func(on *Live, acts []waitingAct) *Live
	between atomic.Pointer[func(step string)] // called before each step of publishing; nil: not at all

	live      atomic.Pointer[Live]
	published atomic.Pointer[Live] // the base of what is live

	mu    sync.Mutex // of what follows, and held while what is live is made
	acts  []waitingAct
	added uint64 // how often acts were added or ended here
}

// The steps of publishing, in their order.
const (
	stepShow    = "show"    // what was read, or made, becomes live
	stepPublish = "publish" // its base may be reported
	stepReport  = "report"  // other instances are told
)

func (p *publisher) step(name string) {
	if between := p.between.Load(); between != nil {
		(*between)(name)
	}
}

// Live returns the state that is answered from.
func (p *publisher) Live() *Live { return p.live.Load() }

// Published returns the base of a state that is live: no decision is based on an older one any more.
func (p *publisher) Published() *Live { return p.published.Load() }

// Publish makes a change live, with the acts that wait on top. One that is older than what is live changes nothing.
func (p *publisher) Publish(base *Live) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.show(base, p.acts)
}

// AddAct makes an act live on top of the others.
func (p *publisher) AddAct(act waitingAct) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.added++
	p.show(p.published.Load(), append(slices.Clone(p.acts), act))
}

// EndAct takes an act away that has become a change which is published.
func (p *publisher) EndAct(id uint64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.added++
	p.show(p.published.Load(), slices.DeleteFunc(slices.Clone(p.acts), func(o waitingAct) bool { return o.id == id }))
}

// Acts returns the acts that are live, which are read and not written, and how often acts were added or ended here.
func (p *publisher) Acts() (acts []waitingAct, added uint64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.acts, p.added
}

// TakeIn makes live what was read of the database: acts, as they were when Acts returned added, and a base that is read
// once no other change can come between. It returns the acts that are live now. The acts have to be read before the
// base: one that has become a change meanwhile is in the base then.
func (p *publisher) TakeIn(added uint64, acts []waitingAct, read func(base *Live) (*Live, error)) ([]waitingAct,
	error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	base, err := read(p.published.Load())
	if err != nil {
		return nil, err
	}
	if added != p.added {
		acts = p.acts
	}
	p.show(base, acts)
	return acts, nil
}

func sameAct(a, b waitingAct) bool { return a.id == b.id }

// show makes a base with acts live, and only then says that it is published.
func (p *publisher) show(base *Live, acts []waitingAct) {
	now := p.published.Load()
	if now != nil && now.State().Revision > base.State().Revision {
		base = now
	}
	if now == base && slices.EqualFunc(acts, p.acts, sameAct) {
		return
	}
	p.step(stepShow)
	on, more := base, acts
	if n := len(p.acts); now == base && len(acts) > n && slices.EqualFunc(acts[:n], p.acts, sameAct) {
		on, more = p.live.Load(), acts[n:] // what waits already is in what is live
	}
	p.acts = acts
	p.live.Store(p.apply(on, more))
	p.step(stepPublish)
	p.published.Store(base)
}
