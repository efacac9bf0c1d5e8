// Package data is sources, tables with their rules, datasets, files and the settings of the workspace.
package data

import (
	"embed"
	"net/http"

	"eskadel/rights"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

//go:embed *.html *.css *.js
var files embed.FS

// Area is what the pages consist of.
var Area = page.Area{Name: "data", Files: files, Modules: []string{"data.js"}, Functions: functions}

// A Server answers for this area.
type Server struct{ *page.Server }

// New returns the area of a server.
func New(s *page.Server) *Server { return &Server{s} }

// Routes are the addresses of the area.
func (s *Server) Routes() []gate.Route {
	const get, post = http.MethodGet, http.MethodPost
	return []gate.Route{
		{Method: get, Path: "/data", Right: rights.Use, Handle: s.data},
		{Method: get, Path: "/data/datasets/:dataset", Right: rights.Use, Handle: s.dataset},
		{Method: get, Path: "/data/datasets/:dataset/profile", Right: rights.Use, Handle: s.datasetProfile},
		{Method: get, Path: "/data/datasets/:dataset/export", Right: rights.Use, Handle: s.exportDataset},
		{Method: get, Path: "/data/datasets/:dataset/fields/:field", Right: rights.Use, Handle: s.fieldPage},
		{Method: get, Path: "/data/datasets/:dataset/values", Right: rights.Use, Handle: s.conditionValues},
		{Method: post, Path: "/data/datasets/:dataset/condition", Right: rights.Use, Handle: s.conditionWords},
		{Method: post, Path: "/data/datasets/:dataset/formula", Right: rights.Use, Handle: s.formulaTrial},
		{Method: get, Path: "/data/datasets/:dataset/formula/help", Right: rights.Use, Handle: s.formulaHelp},
		{Method: post, Path: "/data/datasets/:dataset/odd", Right: rights.Use, Handle: s.oddRecords},
		{Method: post, Path: "/data/sources", Right: rights.Build, Handle: s.addSource},
		{Method: get, Path: "/data/sources/:source", Right: rights.Build, Handle: s.sourceTables},
		{Method: get, Path: "/data/sources/:source/tables/:table", Right: rights.Build, Handle: s.tablePreview},
		{Method: post, Path: "/data/sources/:source/tables/:table", Right: rights.Build, Handle: s.makeDataset},
		{Method: post, Path: "/data/sources/:source/tables/:table/rules", Right: rights.Build, Handle: s.saveTableRules},
		{Method: post, Path: "/data/sources/:source/tables/:table/rules/back", Right: rights.Build, Handle: s.GoBack(workspace.Rules, s.rulesOf)},
		{Method: post, Path: "/data/sources/:source/remove", Right: rights.Build, Handle: s.removeSource},
		{Method: post, Path: "/data/sources/:source/changer", Right: rights.Build, Handle: s.sourceChanger},
		{Method: post, Path: "/data/sources/:source/authors", Right: rights.Build, Handle: s.sourceAuthors},
		{Method: post, Path: "/data/sources/:source/refresh", Right: rights.Build, Handle: s.refreshSource},
		{Method: post, Path: "/data/sources/:source/rules", Right: rights.Build, Handle: s.saveRules},
		{Method: get, Path: "/data/sources/:source/new", Right: rights.Build, Handle: s.newDataset},
		{Method: post, Path: "/data/sources/:source/new", Right: rights.Build, Handle: s.createDataset},
		{Method: post, Path: "/data/datasets/:dataset", Right: rights.Build, Handle: s.saveDataset},
		{Method: post, Path: "/data/datasets/:dataset/back", Right: rights.Build, Handle: s.GoBack(workspace.Dataset, page.Named("dataset", "/data/datasets/", "?part=history"))},
		{Method: post, Path: "/data/datasets/:dataset/filed", Right: rights.Build, Handle: s.Filed(workspace.Dataset, "dataset")},
		{Method: post, Path: "/data/datasets/:dataset/remove", Right: rights.Build, Handle: s.removeDataset},
		{Method: post, Path: "/data/datasets/:dataset/fields/:field", Right: rights.Build, Handle: s.saveField},
		{Method: post, Path: "/data/datasets/:dataset/view-as", Right: rights.Build, Handle: s.viewAs},
		{Method: post, Path: "/data/files/table/:file", Right: rights.Build, Handle: s.changeFile},
		{Method: post, Path: "/data/files/upload", Right: rights.Build, Handle: s.upload, Streamed: true},
		{Method: post, Path: "/data/files/look", Right: rights.Build, Handle: s.lookAtFile, Streamed: true},
		{Method: get, Path: "/data/workspace", Right: rights.Build, Handle: s.settings},
		{Method: post, Path: "/data/workspace", Right: rights.Build, Handle: s.saveSettings},
		{Method: post, Path: "/data/workspace/back", Right: rights.Build, Handle: s.GoBack(workspace.Settings, theSettings)},
	}
}
