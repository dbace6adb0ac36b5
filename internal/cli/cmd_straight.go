package cli

func (a *app) straightThrough(w *work, o scoring, runName string) error { return nil }
