package evidence

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// What is found, and what is asked for, is the same every time: of right records, and of such that
// lack a value.
func TestSameEveryTime(t *testing.T) {
	for i, of := range append(trades(t), tradesIn(t, "sheets")...) {
		if i%3 > 0 || testing.Short() && i%45 > 0 {
			continue
		}
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		found := func(ix *Index, rec *value.Value) string {
			places := Of(of.schema, rec, ix)
			lines, left := Look(of.schema, rec, ix, places)
			var b strings.Builder
			for _, p := range slices.Sorted(maps.Keys(places)) {
				fmt.Fprintf(&b, "%s %+v\n", p, places[p])
			}
			return fmt.Sprintf("%s%+v\n%+v", b.String(), lines, left)
		}
		used := NewIndex(of.doc)
		same := func(p value.Pointer, rec *value.Value) {
			first := found(NewIndex(of.doc), rec)
			assert.Equal(t, first, found(NewIndex(of.doc), rec), "%s without %q", of.key(), p)
			assert.Equal(t, first, found(used, rec), "%s without %q, after others", of.key(), p)
		}
		same("", &rec)
		for p := range Of(of.schema, &rec, NewIndex(of.doc)) {
			if of.schema.At(p) != nil {
				less := rec.Clone()
				less.Put(p, value.Value{Name: p.Last()})
				same(p, &less)
			}
		}
	}
}

// What is told of several fields whose values stand in each other's rows is told each time, in whatever order they
// are looked at.
func TestSameSwapsAreTold(t *testing.T) {
	const fields = "rows: {list: Rows., fields: {name: {text: Name.}, class: {text: Class.}, town: {text: Town.}, fee: {money: Fee., currency: EUR}}}"
	const text = "Kestrel   sloop   Mora   EUR 420.50\nDunlin    ketch   Aho    EUR 360.20\nAvocet    yawl    Lind   EUR 510.80"
	const swapped = `{"rows":[{"name":"Dunlin","class":"sloop","town":"Aho","fee":{"amount":420.50,"currency":"EUR"}},{"name":"Kestrel","class":"ketch","town":"Mora","fee":{"amount":360.20,"currency":"EUR"}},{"name":"Avocet","class":"yawl","town":"Lind","fee":{"amount":510.80,"currency":"EUR"}}]}`
	first := toldAgainst(t, fields, text, swapped, Unread)
	assert.NotEmpty(t, first)
	for range 50 {
		assert.Equal(t, first, toldAgainst(t, fields, text, swapped, Unread))
	}
}
