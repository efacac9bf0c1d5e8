// Command profile measures how long the profile of a table of ten million jobs takes,
// from a sample, beside a plain count of the table's rows in the same run.
//
//	go run ./bench/profile
package main

import (
	"context"
	"fmt"
	"os"
	"time"

	"github.com/jackc/pgx/v5"

	"eskadel/core/dataset"
	"eskadel/core/period"
	"eskadel/core/profile"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/localpg"
	"eskadel/source"
)

// jobs has the columns of Yard Desk's jobs.
const jobs = `create table yard (id int primary key, name text not null);
insert into yard select g, 'Yard ' || g from generate_series(1, 5) g;
create table yard_job (id int primary key, title text not null, yard_id int not null references yard, kind text not null, part text not null, urgency int not null, status text not null,
  opened_at timestamptz not null, promised_on date, started_on date, handed_back_on date, crew_hours numeric(8,2), yard_cost numeric(12,2), parts_cost numeric(12,2), quoted_price numeric(12,2), days_late int);
insert into yard_job select g, 'Service ' || (array['mast','keel','engine','rudder'])[1 + g % 4], 1 + g % 5, (array['care','mishap','survey','rework','fit-out'])[1 + (random() * 4)::int], 'part ' || g % 26, 1 + g % 4, 'handed back',
  timestamptz '2022-11-01' + g * interval '12 seconds', date '2022-11-01' + (g / 7200), date '2022-11-02' + (g / 7200), null, (random() * 30)::numeric(8,2), (random() * 4000)::numeric(12,2), (random() * 900)::numeric(12,2), null, (random() * 20)::int from generate_series(1, 10000000) g;
analyze;`

func main() {
	if err := run(context.Background()); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(ctx context.Context) error {
	root, err := os.Getwd()
	if err != nil {
		return err
	}
	dir := localpg.Folder(root, "bench-profile")
	c, err := localpg.Start(ctx, dir, 0)
	if err != nil {
		return err
	}
	defer func() { _ = c.Stop() }()
	if _, err := c.Database(ctx, "desk", "desk"); err != nil {
		return err
	}
	conn, err := pgx.Connect(ctx, c.URL("desk", "desk"))
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	var filled bool
	if err := conn.QueryRow(ctx, "select to_regclass('yard_job') is not null").Scan(&filled); err != nil {
		return err
	}
	if !filled {
		fmt.Println("making ten million jobs")
		if _, err := conn.Exec(ctx, jobs, pgx.QueryExecModeSimpleProtocol); err != nil {
			return err
		}
	}
	src, err := source.Open("desk", c.URL("desk", "desk"))
	if err != nil {
		return err
	}
	defer src.Close()
	tables, err := src.Introspect(ctx)
	if err != nil {
		return err
	}
	ds, err := dataset.Resolve(dataset.Suggest("desk", tables.Table("yard_job"), tables), tables, nil)
	if err != nil {
		return err
	}
	for range 5 {
		start := time.Now()
		var n int64
		if err := conn.QueryRow(ctx, "select count(*) from yard_job").Scan(&n); err != nil {
			return err
		}
		counted := time.Since(start)
		start = time.Now()
		p := profile.New(ds, query.Setting{Now: time.Now(), Calendar: period.ISO(time.UTC)}, "")
		sealed, err := rule.SealAll(p, rule.Viewer{Builder: true})
		if err != nil {
			return err
		}
		rows, err := src.Run(ctx, sealed)
		if err != nil {
			return err
		}
		looked := p.Read(rows[0], rows[1])
		took := time.Since(start)
		fmt.Printf("%d jobs: profile of %d fields from %d records in %d ms; count(*) in %d ms; ratio %.2f\n", n, len(looked.Fields), looked.Looked, took.Milliseconds(), counted.Milliseconds(), took.Seconds()/counted.Seconds())
	}
	return nil
}
