package fault

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAFaultNamesItsFieldWithWhatStandsAbove(t *testing.T) {
	err := Within("operations[2].", Within("set.", Invalidf("until", "the end is %s", "before the start")))
	var f *Fault
	require.ErrorAs(t, err, &f)
	assert.Equal(t, Field{Name: "operations[2].set.until", Message: "the end is before the start"}, f.Fields[0])
	assert.Equal(t, "the end is before the start", f.Error())
	plain := errors.New("the disk is full")
	assert.Equal(t, plain, Within("set.", plain), "what is no fault stays as it is")
	require.NoError(t, Within("set.", nil))
}

func TestAFaultKnowsItsOperation(t *testing.T) {
	first := Refusedf("above-ceiling", "no")
	err := At(3, fmt.Errorf("wrapped: %w", first))
	var f *Fault
	require.ErrorAs(t, err, &f)
	assert.Equal(t, 3, f.Operation)
	assert.Zero(t, first.Operation, "the one it was made of stays as it is")
	require.NoError(t, At(1, nil))
}

func TestKindsAreTold(t *testing.T) {
	for kind, f := range map[Kind]*Fault{Invalid: Invalidf("a", "x"), NotFound: Missingf("a", "x"),
		Conflict: Conflictf("a", "x"), Stale: Stalef("x"), Refused: Refusedf("c", "x")} {
		assert.True(t, Is(f, kind))
		assert.True(t, Is(fmt.Errorf("wrapped: %w", f), kind))
		assert.False(t, Is(f, kind+1))
		assert.NotEmpty(t, f.Code)
	}
	assert.False(t, Is(errors.New("x"), Invalid))
	assert.Empty(t, Conflictf("", "about nothing in particular").Fields)
}
