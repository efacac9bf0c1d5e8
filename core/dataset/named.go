package dataset

// Settle writes the tables that the document names by their schemas too, so that a later
// table of the same name in another schema does not take their place.
func (d *Document) Settle(c Catalogue) {
	tables := []*string{&d.From.Table}
	if d.From.Unnest != nil {
		tables = append(tables, &d.From.Unnest.Table)
	}
	if d.From.Wide != nil {
		tables = append(tables, &d.From.Wide.Table)
	}
	for i := range d.Links {
		tables = append(tables, &d.Links[i].Table)
	}
	for i := range d.Fields {
		if l := d.Fields[i].Linked; l != nil {
			tables = append(tables, &l.Table)
		}
	}
	for _, name := range tables {
		settle(name, c)
	}
}

// Settle does the same for rules.
func (r *SourceRules) Settle(c Catalogue) {
	for i := range r.Tables {
		settle(&r.Tables[i].Table, c)
	}
}

func settle(name *string, c Catalogue) {
	if t := c.Table(*name); *name != "" && t != nil {
		*name = t.ID()
	}
}
