package gold

import "filler/internal/value"

// Whole reads the records of a set that are kept on the disk into memory, for
// what needs many of them at once.
func (s Set) Whole() error {
	for _, id := range s.Documents() {
		r := s[id]
		if r.lines == nil {
			continue
		}
		var reader value.Reader
		var buf []byte
		v, err := r.Read(&reader, &buf)
		if err != nil {
			return err
		}
		r.Record, r.lines = v.Detach(), nil
	}
	return nil
}
