// Delivering measures what is done by itself: letters with pictures to one receiver and to many, and what a change of
// records costs alerts, beside the same question asked by hand, in the same run.
//
//	go run ./bench/delivering
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"os/signal"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"eskadel/core/alert"
	"eskadel/core/delivery"
	"eskadel/core/filter"
	"eskadel/core/schedule"
	"eskadel/demo"
	"eskadel/identity"
	"eskadel/localpg"
	"eskadel/workspace"
)

func main() {
	scale := flag.Float64("scale", 1, "how many records: 1 is 40,000 jobs")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if err := run(ctx, *scale); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// A bench is a demonstration whose post is measured.
type bench struct {
	*demo.Demo
	who *identity.Caller
	sql *pgx.Conn
}

func run(ctx context.Context, scale float64) error {
	root, err := os.Getwd()
	if err != nil {
		return err
	}
	d, err := demo.Start(ctx, demo.Config{Measured: true, Dir: localpg.Folder(root, fmt.Sprintf("bench-delivering-%g", scale)), Scale: scale, Again: true, Fresh: true, Say: func(f string, a ...any) { fmt.Printf(f+"\n", a...) }})
	if err != nil {
		return err
	}
	defer d.Stop()
	b := &bench{Demo: d}
	p, err := d.Store.PersonByEmail(ctx, demo.BuilderEmail)
	if err == nil {
		b.who, err = identity.ByID(ctx, d.Store, p.ID)
	}
	if err == nil {
		b.sql, err = pgx.Connect(ctx, d.Cluster.URL("yarddesk", "yarddesk"))
	}
	if err != nil {
		return err
	}
	defer b.sql.Close(ctx)
	alerts, err := d.Workspace.Alerts(ctx, b.who)
	if err != nil {
		return err
	}
	for _, a := range alerts { // which would look, too
		if err := d.Workspace.PauseErrand(ctx, b.who, a.ID); err != nil {
			return err
		}
	}
	if err := b.letters(ctx); err != nil {
		return err
	}
	return b.alerts(ctx)
}

// letters measures from the word to send until the last letter has come.
func (b *bench) letters(ctx context.Context) error {
	order := delivery.Order{Page: "Today", Schedule: schedule.Schedule{Every: "day", At: []string{"07:00"}}}
	fmt.Printf("\n| letters of a page of nine widgets | receivers | s | ms a letter |\n|---|---|---|---|\n")
	people := []int64{}
	for i := range 100 {
		email := fmt.Sprintf("crew-%d@skerrin.example", i)
		name := fmt.Sprint("Crew ", i)
		if _, err := b.Workspace.ChangePerson(ctx, b.who, identity.Change{Name: &name, Email: email, Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": fmt.Sprint(i%5 + 1)}}); err != nil {
			return err
		}
		p, err := b.Store.PersonByEmail(ctx, email)
		if err != nil {
			return err
		}
		people = append(people, p.ID)
	}
	for _, of := range []struct {
		words string
		as    []string
		n     int
	}{{"with pictures", []string{delivery.Pictures}, 1}, {"with pictures", []string{delivery.Pictures}, 100}, {"with pictures and a PDF", []string{delivery.Pictures, delivery.PDF}, 1}, {"as tables, with XLSX", []string{"xlsx"}, 1}} {
		order.As = of.as
		id, err := b.Workspace.KeepDelivery(ctx, b.who, workspace.DeliveryOrder{Dashboard: "yard-today", Title: "Measured", Order: order})
		if err != nil {
			return err
		}
		for _, p := range people[:of.n-1] {
			if _, err := b.Workspace.AddReceiver(ctx, b.who, id, fmt.Sprint("person/", p)); err != nil {
				return err
			}
		}
		for len(b.Post.Arrived) > 0 {
			<-b.Post.Arrived
		}
		start := time.Now()
		if err := b.Workspace.DoErrand(ctx, b.who, id, false); err != nil {
			return err
		}
		for range of.n {
			<-b.Post.Arrived
		}
		took := time.Since(start)
		fmt.Printf("| %s | %d | %.1f | %.0f |\n", of.words, of.n, took.Seconds(), float64(took.Milliseconds())/float64(of.n))
	}
	return nil
}

// alerts measures what a change of a job costs an alert: the questions that it asks anew.
func (b *bench) alerts(ctx context.Context) error {
	fmt.Printf("\n| an alert, looked at after a change | ms, median of 20 | times the same by hand |\n|---|---|---|\n")
	for _, of := range []struct {
		words, widget, when, than, hand string
	}{
		{"a key figure", "open", alert.Above, "1000000", "select count(*) filter (where status in ('open', 'in hand', 'waiting for parts')), count(*) filter (where status = 'waiting for parts') from yard_job where opened_at >= now() - interval '1 year' and status <> 'withdrawn'"},
		{"seven groups", "parts", alert.Above, "1000000", "select part_group, count(*) from yard_job where opened_at >= now() - interval '1 year' and status <> 'withdrawn' group by 1"},
		{"366 records of a list", "jobs", alert.Comes, "", "select id, title from yard_job where opened_at >= now() - interval '1 year' and status in ('open', 'in hand', 'waiting for parts')"},
		{"11,438 records", "parts", alert.Comes, "", "select id, title from yard_job where opened_at >= now() - interval '1 year' and status <> 'withdrawn'"},
	} {
		id, err := b.Workspace.KeepAlert(ctx, b.who, workspace.AlertOrder{Dashboard: "yard-today", Title: "Measured", Watch: alert.Watch{Page: "Today", Widget: of.widget, When: of.when, Than: of.than, By: []string{"notice"}}})
		if err != nil {
			return err
		}
		var hand, own []time.Duration
		looks := int64(0)
		for range 21 {
			if _, err := b.sql.Exec(ctx, "update yard_job set yard_cost = yard_cost + 1 where id = (select max(id) from yard_job where yard_cost is not null)"); err != nil {
				return err
			}
			start := time.Now()
			rows, err := b.sql.Query(ctx, of.hand)
			if err != nil {
				return err
			}
			for rows.Next() {
			}
			if err := rows.Err(); err != nil {
				return err
			}
			hand = append(hand, time.Since(start))
			for { // until it has looked again
				costs, err := b.Workspace.Costs(ctx, b.who)
				if err != nil {
					return err
				}
				if c := costs[slices.IndexFunc(costs, func(s workspace.Spent) bool { return s.ID == id })]; c.Looks > looks && c.Latest > 0 {
					looks = c.Looks
					own = append(own, c.Latest)
					break
				}
				time.Sleep(20 * time.Millisecond)
			}
		}
		slices.Sort(hand)
		slices.Sort(own)
		fmt.Printf("| %s | %.1f | %.1f |\n", of.words, float64(own[10].Microseconds())/1000, own[10].Seconds()/hand[10].Seconds())
		if err := b.Workspace.RemoveErrand(ctx, b.who, id); err != nil {
			return err
		}
	}
	return nil
}
