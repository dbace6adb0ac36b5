// Package tones says what colour and stress mean in the terminal. A letter or a sign beside
// a colour always says the same.
package tones

import "charm.land/lipgloss/v2"

// Tone is one meaning.
type Tone string

// The tones.
const (
	Plain Tone = ""
	Faint Tone = "faint" // what only frames
	Good  Tone = "good"
	Soft  Tone = "soft" // look here when there is time
	Bad   Tone = "bad"
	Bold  Tone = "bold"
)

var colours = map[Tone]string{Good: "2", Soft: "3", Bad: "1"}

// IsColour tells whether a tone is a colour, and not a stress.
func (t Tone) IsColour() bool { return colours[t] != "" }

// Style gives how a tone is drawn.
func (t Tone) Style() lipgloss.Style {
	style := lipgloss.NewStyle()
	switch {
	case t == Faint:
		return style.Faint(true)
	case t == Bold:
		return style.Bold(true)
	case t.IsColour():
		return style.Foreground(lipgloss.Color(colours[t]))
	}
	return style
}
