package model

import (
	"context"
	"strings"

	"filler/internal/base/project"
	"filler/internal/base/secret"
	"filler/internal/source/fetch"
)

// Greet asks a server for its list of models: whether it is there and takes the key. No model is
// asked anything. It gives the status of the answer, and the address as it may be shown.
func Greet(ctx context.Context, m *project.Model, way Way) (status int, shown string, err error) {
	c := &Client{model: m, way: way, http: fetch.New(1)}
	c.way.Base = strings.TrimRight(way.Base, "/")
	c.secrets = secret.NewSet(append(append(secret.OfAddress(way.Base), way.Key), secret.OfHeaders(m.Headers)...)...)
	c.http.Through(way.Reach)
	if shown = secret.Address(c.way.Base); way.Reach.Socket != "" {
		shown = "unix://" + way.Reach.Socket
	}
	base, query, has := strings.Cut(c.way.Base, "?")
	url := strings.TrimRight(base, "/") + "/models"
	if has {
		url += "?" + query
	}
	status, err = c.http.Get(ctx, url, c.headers())
	return status, shown, c.clean(err)
}
