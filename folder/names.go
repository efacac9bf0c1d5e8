package folder

import (
	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
)

// Names say what is called otherwise in a workspace than in the files: the name in the files → the
// name there.
type Names struct {
	Sources    map[string]string `json:"sources,omitempty"`
	HostApps   map[string]string `json:"host_apps,omitempty"`
	Datasets   map[string]string `json:"datasets,omitempty"`
	Charts     map[string]string `json:"charts,omitempty"`
	Dashboards map[string]string `json:"dashboards,omitempty"`
}

// back are the names the other way round.
func (n Names) back() Names {
	turn := func(m map[string]string) map[string]string {
		out := map[string]string{}
		for a, b := range m {
			out[b] = a
		}
		return out
	}
	return Names{turn(n.Sources), turn(n.HostApps), turn(n.Datasets), turn(n.Charts), turn(n.Dashboards)}
}

func called(m map[string]string, name string) string {
	if to, ok := m[name]; ok {
		return to
	}
	return name
}

// keys are the keys of a map as they are called.
func keys[V any](m map[string]string, of map[string]V) map[string]V {
	if of == nil {
		return nil
	}
	out := map[string]V{}
	for k, v := range of {
		out[called(m, k)] = v
	}
	return out
}

// apply calls a document, and what it speaks of, as the names say.
func (n Names) apply(k Key, body []byte) (Key, []byte, error) {
	switch k.Kind {
	case Rules:
		d, err := dataset.ReadRules(body)
		if err != nil {
			return k, nil, err
		}
		d.Source = called(n.Sources, d.Source)
		k.Name, body = d.Source, d.JSON()
	case Datasets:
		d, err := dataset.Read(body)
		if err != nil {
			return k, nil, err
		}
		d.Name, d.Source = called(n.Datasets, d.Name), called(n.Sources, d.Source)
		if d.Editing != nil {
			d.Editing.HostApp = called(n.HostApps, d.Editing.HostApp)
		}
		k.Name, body = d.Name, d.JSON()
	case Charts:
		d, err := chart.Read(body)
		if err != nil {
			return k, nil, err
		}
		n.chart(d)
		k.Name, body = called(n.Charts, k.Name), d.JSON()
	case Dashboards:
		d, err := dashboard.Read(body)
		if err != nil {
			return k, nil, err
		}
		n.dashboard(d)
		k.Name, body = d.Name, d.JSON()
	}
	body, err := tidy(k, body)
	return k, body, err
}

func (n Names) chart(d *chart.Document) {
	d.Dataset = called(n.Datasets, d.Dataset)
	for i := range d.Also {
		d.Also[i].Dataset = called(n.Datasets, d.Also[i].Dataset)
	}
	if d.Target != nil {
		d.Target.Plan = called(n.Datasets, d.Target.Plan)
	}
}

func (n Names) dashboard(d *dashboard.Document) {
	d.Name = called(n.Dashboards, d.Name)
	for i := range d.Filters {
		d.Filters[i].Fields = keys(n.Datasets, d.Filters[i].Fields)
	}
	for i := range d.Through {
		t := &d.Through[i]
		t.Of, t.To.Dashboard = called(n.Datasets, t.Of), called(n.Dashboards, t.To.Dashboard)
	}
	for _, p := range d.Pages {
		for i := range p.Widgets {
			w := &p.Widgets[i]
			if w.Click != nil {
				w.Click.Fields = keys(n.Datasets, w.Click.Fields)
			}
			switch {
			case w.Chart == nil:
			case w.Chart.Library != "":
				w.Chart.Library = called(n.Charts, w.Chart.Library)
			default:
				n.chart(w.Chart.Own)
			}
		}
	}
}

// all calls every document as the names say.
func (n Names) all(d Documents) (Documents, error) {
	out := Documents{}
	for k, body := range d {
		k, body, err := n.apply(k, body)
		if err != nil {
			return nil, err
		}
		out[k] = body
	}
	return out, nil
}
