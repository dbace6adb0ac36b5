package answer

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestShort(t *testing.T) {
	for said, want := range map[string]string{
		"3.3.2031":                       `"3.3.2031"`,
		" \"Heron Plank\" \n":            `"Heron Plank"`,
		"Visited: 3.3.2031":              `"3.3.2031"`,
		"**Visited:** 3.3.2031":          `"3.3.2031"`,
		"```\n3.3.2031\n```":             `"3.3.2031"`,
		"<think>The day?</think>\n3.3.":  `"3.3."`,
		"not stated":                     `"not stated"`,
		"The answer is:\n\n3.3.2031":     `"3.3.2031"`,
		"3.3.2031\n\nAnything else?":     `"3.3.2031"`,
		`{"visited": "3.3.2031"}`:        `"3.3.2031"`,
		`{"value": true, "basis": "so"}`: `{"value":true,"basis":"so"}`,
		"007":                            `"007"`,
		"Answer: 3.3.2031":               `"3.3.2031"`,
		"Final answer: 3.3.2031":         `"3.3.2031"`,
		"visited = \"3.3.2031\"":         `"3.3.2031"`,
		"<answer>3.3.2031</answer>":      `"3.3.2031"`,
		"\\boxed{3.3.2031}":              `"3.3.2031"`,
		"<|channel|>final<|message|>7":   `"7"`,
		"Sure! It was on **3.3.2031**.":  `"3.3.2031"`,
		"- 3.3.2031":                     `"3.3.2031"`,
		"> 3.3.2031":                     `"3.3.2031"`,
		"“Heron Plank”":                  `"Heron Plank"`,
		"\"a\" and \"b\"":                `"\"a\" and \"b\""`,
		"- 4\n- 5":                       `"- 4"`,
		"a < b":                          `"a < b"`,
		`["3.3.2031"]`:                   `"3.3.2031"`,
		`{"visited":"3.3.","sure":0.9}`:  `"3.3."`,
		`{"value": "3.3."}`:              `"3.3."`,
		"[1, 2]":                         `[1,2]`,
		"null":                           `null`,
		"":                               `""`,
	} {
		v, _, _ := Short(said, []string{"visited", "Day"})
		assert.Equal(t, want, v.String(), "%q", said)
	}
	_, deviations, _ := Short("Visited: 3.3.2031\nBye.", []string{"visited"})
	assert.Len(t, deviations, 2, "each deviation is listed")
}

// A further line that may be a value is told; a sentence behind the answer is
// none.
func TestFurtherValues(t *testing.T) {
	for said, want := range map[string]string{
		"3.3.2031\n4.3.2031": "4.3.2031",
		"3.3.2031\n\nThat is the day of the visit itself.": "",
		"The values are:\n12\n14\n":                        "14",
		"```\n12\n```":                                     "",
		"12\nor 14":                                        "or 14",
		`{"value": 3}`:                                     "",
	} {
		_, _, left := Short(said, []string{"visited"})
		got := ""
		for _, u := range left {
			got += u.Text
		}
		assert.Equal(t, want, got, said)
	}
}
