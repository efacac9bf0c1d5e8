package yarddesk

import (
	"context"
	_ "embed"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"
)

// Checks are what Yard Desk demands of a change beyond what single columns may hold.
//
//go:embed checks.sql
var Checks string

//go:embed schema.sql
var schema string

//go:embed indexes.sql
var indexes string

// A generator makes four years of records up to now; the same seed, scale and day make the same ones.
type generator struct {
	*rand.Rand
	now     time.Time
	scale   float64
	crews   map[int][]int // teams of a yard
	estim   []int
	vessels int
}

const days = 4 * 365

// Generate makes Yard Desk's tables in an empty database and fills them. Scale 1 is
// about 40,000 jobs; 25 is a million.
func Generate(ctx context.Context, conn *pgx.Conn, scale float64, now time.Time) error {
	if _, err := conn.Exec(ctx, schema); err != nil {
		return fmt.Errorf("make Yard Desk's tables: %w", err)
	}
	g := &generator{Rand: rand.New(rand.NewPCG(7, 11)), now: now.UTC().Truncate(time.Minute), scale: scale, crews: map[int][]int{}}
	for _, t := range []struct {
		name    string
		columns string
		rows    int
		row     func(i int) []any
	}{
		{"yard", "id name region plan_x plan_y", len(yards), func(i int) []any {
			y := yards[i]
			return []any{i + 1, y.name, y.region, money(y.x), money(y.y)}
		}},
		{"team", "id yard_id name", 15, g.team},
		{"staff", "id name email role yard_id team_id", 60, g.person},
		{"supplier", "id name", len(makers), func(i int) []any { return []any{i + 1, makers[i]} }},
		{"customer", "id name kind home_port", g.some(900), g.customer},
		{"vessel", "id name kind length_m built customer_id", g.some(1300), g.vessel},
		{"berth", "id yard_id code length_m", 600, func(i int) []any {
			return []any{i + 1, i%5 + 1, fmt.Sprintf("%c%d", 'A'+i/5%6, i/30+1), money(float64(6 + i%14))}
		}},
		{"enquiry", "id vessel_id yard_id estimator_id came_by stage furthest_stage quoted_value expected_start opened_at decided_at", int(6000 * scale), g.enquiry},
		{"yard_job", "id title yard_id team_id vessel_id berth_id supplier_id kind part_group part urgency status opened_at promised_on started_on handed_back_on crew_hours yard_cost parts_cost quoted_price", int(40000 * scale), g.job},
		{"invoice", "id number customer_id yard_id issued_on due_on paid_on", int(23000 * scale), g.invoice},
		{"invoice_line", "id invoice_id yard_job_id service_line service net cost", int(70000 * scale), g.line},
		{"legacy_invoice", "id number issued amount_text", 400, g.legacy},
		{"plan_month", "yard_id service_line month planned", 5 * 6 * 48, g.plan},
		{"hazard", "id title area yard_id likelihood severity likelihood_after severity_after safeguards owner_id review_due status noted_at", 400, g.hazard},
		{"berth_stay", "id berth_id vessel_id arrived_at departed_at", int(9000 * scale), g.stay},
		{"sensor_note", "id yard_id noted_at note", 3000, g.note},
	} {
		_, err := conn.CopyFrom(ctx, pgx.Identifier{t.name}, strings.Fields(t.columns), pgx.CopyFromSlice(t.rows, func(i int) ([]any, error) {
			return t.row(i), nil
		}))
		if err != nil {
			return fmt.Errorf("fill %s: %w", t.name, err)
		}
	}
	_, err := conn.Exec(ctx, indexes)
	return err
}

// some scales the number of things that grow slower than the work done on them.
func (g *generator) some(n int) int { return int(float64(n) * math.Max(1, math.Sqrt(g.scale))) }

// money is a decimal of two places.
func money(x float64) pgtype.Numeric {
	var n pgtype.Numeric
	_ = n.Scan(fmt.Sprintf("%.2f", x))
	return n
}

func pick[T any](g *generator, list []T) T { return list[g.IntN(len(list))] }

// weighted picks an index by weights.
func (g *generator) weighted(weights ...float64) int {
	sum := 0.0
	for _, w := range weights {
		sum += w
	}
	at := g.Float64() * sum
	for i, w := range weights {
		if at -= w; at < 0 {
			return i
		}
	}
	return len(weights) - 1
}

// day picks a moment of the four years: more in later years, and seasonal with a peak in spring.
func (g *generator) day() time.Time {
	for {
		back := int(float64(days) * g.Float64())
		t := g.now.AddDate(0, 0, -back)
		season := 1 + 0.45*math.Sin(2*math.Pi*(float64(t.YearDay())-20)/365)
		growth := 1 - 0.35*float64(back)/days
		week := 1.0
		if t.Weekday() == time.Sunday {
			week = 0.15
		} else if t.Weekday() == time.Saturday {
			week = 0.5
		}
		if g.Float64()*1.45 < season*growth*week {
			at := time.Date(t.Year(), t.Month(), t.Day(), 6+g.IntN(12), g.IntN(60), g.IntN(60), 0, time.UTC)
			if at.Before(g.now) {
				return at
			}
		}
	}
}

func (g *generator) yard() int {
	w := make([]float64, len(yards))
	for i, y := range yards {
		w[i] = y.weight
	}
	return g.weighted(w...) + 1
}

func (g *generator) team(i int) []any {
	yard := i%5 + 1
	g.crews[yard] = append(g.crews[yard], i+1)
	return []any{i + 1, yard, fmt.Sprintf("%s crew %d", yards[yard-1].name, i/5+1)}
}

func (g *generator) person(i int) []any {
	roles := []string{"foreman", "estimator", "rigger", "rigger", "rigger", "engineer", "engineer", "engineer", "engineer", "office", "office", "director"}
	role, yard := roles[i/5], i%5+1
	name := first[(i*7)%len(first)] + " " + last[(i*11)%len(last)]
	if role == "estimator" {
		g.estim = append(g.estim, i+1)
	}
	return []any{i + 1, name, strings.ToLower(strings.ReplaceAll(name, " ", ".")) + fmt.Sprint(i+1) + "@skerrin.example", role, yard, pick(g, g.crews[yard])}
}

func (g *generator) customer(i int) []any {
	kind := owners[g.weighted(6, 2, 2, 0.3, 0.7)]
	name := pick(g, first) + " " + pick(g, last)
	if kind != "private" {
		name = pick(g, last) + " " + map[string]string{"charter": "Charter", "fishing": "Fishing Co", "pilot service": "Pilots", "sailing school": "Sailing School"}[kind]
	}
	return []any{i + 1, name, kind, pick(g, ports)}
}

func (g *generator) vessel(i int) []any {
	g.vessels = i + 1
	name := pick(g, boats)
	if i >= len(boats) {
		name = fmt.Sprintf("%s %d", name, i/len(boats)+1)
	}
	return []any{i + 1, name, pick(g, craft), money(5 + g.Float64()*g.Float64()*22), 1960 + g.IntN(64), g.IntN(g.some(900)) + 1}
}

func (g *generator) enquiry(i int) []any {
	opened := g.day()
	reached := g.weighted(2, 2, 3, 1.5, 1.5, 3)
	stage := stages[reached]
	var decided any
	age := g.now.Sub(opened).Hours() / 24
	if age > 60 && reached < 5 && g.Float64() < 0.8 {
		stage = "declined"
		decided = opened.AddDate(0, 0, 10+g.IntN(50))
	} else if reached >= 3 {
		at := opened.AddDate(0, 0, 5+g.IntN(30))
		if at.After(g.now) {
			at = g.now
		}
		decided = at
	}
	var quoted any
	if reached >= 2 {
		quoted = money(800 + 24000*g.Float64()*g.Float64())
	}
	var start any
	if reached >= 1 {
		start = opened.AddDate(0, 0, 20+g.IntN(160))
	}
	return []any{i + 1, g.IntN(g.vessels) + 1, g.yard(), pick(g, g.estim), ways[g.weighted(4, 1, 3, 1, 3)], stage, stages[reached], quoted, start, opened, decided}
}

func (g *generator) job(i int) []any {
	opened, yard := g.day(), g.yard()
	age := g.now.Sub(opened).Hours() / 24
	supplier := g.IntN(len(makers)) + 1
	rework := 0.8
	if supplier == badSupplier && age < 400 {
		rework = 3.5
	}
	kind := kinds[g.weighted(4, 2, 2.2, rework, 0.9)]
	group := groups[g.weighted(3, 4, 2.5, 2.5, 1.5, 1, 1.5)]
	part := pick(g, parts[group])
	size := map[string]float64{"seasonal care": 0.5, "mishap": 1.2, "survey finding": 0.9, "rework": 0.7, "fit-out": 3.2}[kind]
	hours := math.Round((0.5+size*8*g.Float64()*g.Float64()+size*2)*4) / 4
	cost := hours * (38 + 14*g.Float64())
	spare := size * 420 * g.Float64() * g.Float64()
	quoted := (cost + spare) * (1.05 + 0.5*g.Float64())
	if yard == behind {
		quoted *= 0.93
	}
	promised := opened.AddDate(0, 0, 3+g.IntN(25))
	late := g.IntN(6) - 3
	if yard == behind {
		late += int(12 * (1 - math.Min(1, age/900)) * g.Float64())
	}
	started := promised.AddDate(0, 0, late)
	if started.Before(opened) {
		started = opened
	}
	done := started.AddDate(0, 0, 1+int(hours/6)+g.IntN(9))
	status, hasStarted, isDone := "handed back", any(started), any(done)
	switch {
	case g.Float64() < 0.02:
		status, hasStarted, isDone = "withdrawn", nil, nil
	case started.After(g.now):
		status, hasStarted, isDone = "open", nil, nil
	case done.After(g.now):
		status, isDone = "in hand", nil
		if g.Float64() < 0.25 {
			status = "waiting for parts"
		}
	}
	var spentHours, spent, spares any = money(hours), money(cost), money(spare)
	if status == "open" || status == "withdrawn" {
		spentHours, spent, spares = nil, nil, nil
	}
	due := any(promised)
	switch x := g.Float64(); {
	case x < 0.0004:
		due = time.Date(2004, 3, 1+g.IntN(28), 0, 0, 0, 0, time.UTC)
	case x < 0.0008:
		due = time.Date(2038, 1, 1+g.IntN(18), 0, 0, 0, 0, time.UTC)
	case x < 0.011:
		due = nil
	}
	berth := any((g.IntN(120))*5 + yard)
	if g.Float64() < 0.3 {
		berth = nil
	}
	maker := any(supplier)
	if spare < 40 {
		maker = nil
	}
	title := map[string]string{"seasonal care": "Service", "mishap": "Mend", "survey finding": "Put right", "rework": "Do again:", "fit-out": "Fit new"}[kind] + " " + part
	return []any{i + 1, title, yard, pick(g, g.crews[yard]), g.IntN(g.vessels) + 1, berth, maker, kind, group, part, g.weighted(1, 3, 4, 2) + 1, status,
		opened, due, hasStarted, isDone, spentHours, spent, spares, money(quoted)}
}

func (g *generator) invoice(i int) []any {
	issued := g.day()
	due := issued.AddDate(0, 0, 30)
	var paid any
	if at := issued.AddDate(0, 0, 4+g.IntN(50)); at.Before(g.now) && g.Float64() < []float64{0.96, 0.998}[min(1, int(g.now.Sub(issued).Hours()/24)/150)] {
		paid = at
	}
	return []any{i + 1, fmt.Sprintf("SB-%06d", i+1), g.IntN(g.some(900)) + 1, g.yard(), issued, due, paid}
}

func (g *generator) line(i int) []any {
	line := lines[g.weighted(4, 2, 3, 1, 2, 3)]
	net := map[string]float64{"berthing": 180, "lifting": 240, "repair": 620, "refit": 3100, "storage": 210, "chandlery": 75}[line] * (0.3 + 1.6*g.Float64())
	service := pick(g, services[line])
	cost := net * (costs[service] + 0.3*(g.Float64()-0.5))
	if g.Float64() < 0.015 {
		net, cost = -net/2, -cost/2
	}
	invoice := i*23/70 + 1
	if limit := int(23000 * g.scale); invoice > limit {
		invoice = limit
	}
	return []any{i + 1, invoice, g.IntN(int(40000*g.scale)) + 1, line, service, money(net), money(cost)}
}

func (g *generator) legacy(i int) []any {
	amount := fmt.Sprintf("%d,%03d.%02d", 1+g.IntN(9), g.IntN(1000), g.IntN(100))
	if g.Float64() < 0.02 {
		amount = "see note"
	}
	return []any{i + 1, fmt.Sprintf("OLD-%04d", i+1), g.now.AddDate(-5, 0, -g.IntN(300)).Format("02.01.2006"), amount}
}

func (g *generator) plan(i int) []any {
	yard, line, back := i%5, i/5%6, i/30
	month := time.Date(g.now.Year(), g.now.Month(), 1, 0, 0, 0, 0, time.UTC).AddDate(0, 2-back, 0)
	base := []float64{90000, 60000, 235000, 385000, 53000, 28000}[line] * g.scale / 5 * yards[yard].weight
	if yard+1 == behind {
		base *= 1.3 - 0.006*float64(back)
	}
	season := 1 + 0.45*math.Sin(2*math.Pi*(float64(month.YearDay())-20)/365)
	return []any{yard + 1, lines[line], month, money(base * season * (1 - 0.007*float64(back)))}
}

func (g *generator) hazard(i int) []any {
	l, s := g.IntN(5)+1, g.IntN(5)+1
	var owner, review any = g.IntN(60) + 1, g.now.AddDate(0, 0, g.IntN(300)-90)
	if g.Float64() < 0.05 {
		owner, review = nil, nil
	}
	return []any{i + 1, pick(g, dangers) + ", " + pick(g, areas), pick(g, areas), g.IntN(5) + 1, l, s, max(1, l-g.IntN(3)), max(1, s-g.IntN(2)),
		[]string{"in place", "in part", "untested", "missing"}[g.weighted(5, 3, 1, 1)], owner, review, []string{"open", "watched", "closed"}[g.weighted(3, 3, 4)], g.day()}
}

func (g *generator) stay(i int) []any {
	arrived := g.day()
	var departed any
	if at := arrived.Add(time.Duration(6+g.IntN(24*20)) * time.Hour); at.Before(g.now) {
		departed = at
	}
	return []any{i + 1, g.IntN(600) + 1, g.IntN(g.vessels) + 1, arrived, departed}
}

func (g *generator) note(i int) []any {
	warnings := []string{}
	for _, w := range []string{"load", "tilt", "wind", "sling"} {
		if g.Float64() < 0.08 {
			warnings = append(warnings, w)
		}
	}
	b, _ := json.Marshal(map[string]any{"lift": map[string]any{"load_t": math.Round(g.Float64()*400) / 10, "wind_kn": g.IntN(35)}, "warnings": warnings})
	return []any{i + 1, g.IntN(5) + 1, g.day(), string(b)}
}
