// Package yarddesk is the host app of the demo: a small application in which the staff
// of Skerrin Boatyards keep their jobs, enquiries, hazards and invoices. All it knows of
// Eskadel is in eskadel.go and in one tag of its home page; a builder may copy both.
package yarddesk

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"fmt"
	"html/template"
	"io/fs"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

//go:embed templates static
var files embed.FS

// Config says where Yard Desk finds what it needs.
type Config struct {
	Database   string // address of its own database
	EskadelURL string // where embed.js comes from
	KeyID      string // of the key that signs viewer passes
	Secret     string
}

// An App is Yard Desk.
type App struct {
	config Config
	db     *pgxpool.Pool
	pages  *template.Template
	secret []byte // signs the session cookie
	busy   *busyDay
}

// A Person is a member of the staff.
type Person struct {
	ID     int
	Name   string
	Role   string
	YardID int
	Yard   string
	Email  string
}

// Own tells whether the person works with the records of their own yard only.
func (p Person) Own() bool { return p.Role != "office" && p.Role != "director" }

// New connects to the database.
func New(ctx context.Context, c Config) (*App, error) {
	db, err := pgxpool.New(ctx, c.Database)
	if err != nil {
		return nil, fmt.Errorf("open Yard Desk's database: %w", err)
	}
	pages, err := template.ParseFS(files, "templates/*.html")
	if err != nil {
		return nil, err
	}
	secret := make([]byte, 32)
	_, _ = rand.Read(secret)
	return &App{config: c, db: db, pages: pages, secret: secret, busy: &busyDay{db: db}}, nil
}

// Close ends all connections.
func (a *App) Close() { a.busy.stop(); a.db.Close() }

// Handler is the application's entry.
func (a *App) Handler() http.Handler {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.Use(gin.Recovery(), func(c *gin.Context) {
		c.Header("Content-Security-Policy", "default-src 'none'; style-src 'self' 'unsafe-inline'; script-src 'self' "+a.config.EskadelURL+"; connect-src 'self'; frame-src "+a.config.EskadelURL+"; form-action 'self'; base-uri 'none'")
		c.Header("Referrer-Policy", "strict-origin-when-cross-origin")
	})
	static, err := fs.Sub(files, "static")
	if err != nil {
		panic(err) // the folder is part of the program
	}
	r.StaticFS("/static", http.FS(static))
	r.GET("/pictures/plan.svg", planPicture)
	r.GET("/pictures/boats/:id", a.boatPicture)
	r.GET("/sign-in", a.signInPage)
	r.POST("/sign-in", a.signIn)
	r.POST("/eskadel/jobs/:id", a.eskadelChange)
	in := r.Group("", a.signedIn)
	in.POST("/sign-out", a.signOut)
	in.GET("/", func(c *gin.Context) {
		now := shown[0]
		if name := c.Query("dashboard"); name != "" {
			now.Name, now.Title = name, name
		}
		for _, d := range shown {
			if d.Name == c.Query("dashboard") {
				now = d
			}
		}
		a.page(c, "home.html", gin.H{"Dashboard": now, "Dashboards": shown, "Running": a.busy.running()})
	})
	in.GET("/eskadel-pass", a.eskadelPass)
	in.POST("/busy", a.busyDayButton)
	for name := range lists {
		in.GET("/"+name, func(c *gin.Context) { a.list(c, name) })
		in.GET("/"+name+"/:id", func(c *gin.Context) { a.record(c, name) })
	}
	in.POST("/jobs/:id", a.saveJob)
	in.POST("/hazards/:id", a.saveHazard)
	return r
}

// places are what the head of each page leads to.
var places = []struct{ Path, Title string }{{"/", "Home"}, {"/jobs", "Jobs"}, {"/enquiries", "Enquiries"}, {"/hazards", "Hazards"}, {"/invoices", "Invoices"}}

func (a *App) page(c *gin.Context, name string, data gin.H) {
	if p, ok := c.Get("person"); ok {
		data["Person"], data["Token"] = p, c.GetString("token")
	}
	data["Eskadel"], data["Places"], data["Here"] = a.config.EskadelURL, places, "/"+strings.Split(c.Request.URL.Path, "/")[1]
	c.Header("Content-Type", "text/html; charset=utf-8")
	if err := a.pages.ExecuteTemplate(c.Writer, name, data); err != nil {
		_ = c.AbortWithError(http.StatusInternalServerError, err)
	}
}

func (a *App) sign(text string) string {
	h := hmac.New(sha256.New, a.secret)
	h.Write([]byte(text))
	return hex.EncodeToString(h.Sum(nil))
}

func (a *App) signInPage(c *gin.Context) {
	rows, err := a.db.Query(c, "select s.id, s.name, s.role, s.yard_id, y.name, s.email from staff s join yard y on y.id = s.yard_id order by array_position(array['foreman','estimator','office','director','rigger','engineer'], s.role), y.id, s.name")
	if err != nil {
		a.fail(c, err)
		return
	}
	people, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Person])
	if err != nil {
		a.fail(c, err)
		return
	}
	a.page(c, "sign-in.html", gin.H{"People": people})
}

func (a *App) fail(c *gin.Context, err error) {
	_ = c.Error(err)
	c.String(http.StatusServiceUnavailable, "Yard Desk's database does not answer. Try again in a moment.")
	c.Abort()
}

// signIn takes the chosen person at their word: this is a demonstration.
func (a *App) signIn(c *gin.Context) {
	id := c.PostForm("staff")
	http.SetCookie(c.Writer, &http.Cookie{Name: "yard_desk", Value: id + "." + a.sign(id), Path: "/", HttpOnly: true, SameSite: http.SameSiteLaxMode})
	c.Redirect(http.StatusSeeOther, "/")
}

func (a *App) signOut(c *gin.Context) {
	http.SetCookie(c.Writer, &http.Cookie{Name: "yard_desk", Path: "/", MaxAge: -1})
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

func (a *App) signedIn(c *gin.Context) {
	cookie, _ := c.Cookie("yard_desk")
	id, signature, _ := strings.Cut(cookie, ".")
	if cookie == "" || !hmac.Equal([]byte(signature), []byte(a.sign(id))) {
		c.Redirect(http.StatusSeeOther, "/sign-in")
		c.Abort()
		return
	}
	var p Person
	err := a.db.QueryRow(c, "select s.id, s.name, s.role, s.yard_id, y.name, s.email from staff s join yard y on y.id = s.yard_id where s.id = $1::text::int", id).Scan(&p.ID, &p.Name, &p.Role, &p.YardID, &p.Yard, &p.Email)
	if err != nil {
		a.fail(c, err)
		return
	}
	token := a.sign("form " + cookie)
	if c.Request.Method == http.MethodPost && !hmac.Equal([]byte(c.PostForm("token")), []byte(token)) {
		c.String(http.StatusForbidden, "This form did not come from Yard Desk.")
		c.Abort()
		return
	}
	c.Set("person", p)
	c.Set("token", token)
}

func person(c *gin.Context) Person { return c.MustGet("person").(Person) }

// A listing is a list of records with its columns.
type listing struct {
	Title   string
	query   string // selects id, then the columns; $1 is the yard, or 0 for all
	Columns []string
	one     string // selects a record's columns by $2
}

var lists = map[string]listing{
	"jobs": {"Jobs", `select j.id::text, j.title, y.name, v.name, j.kind, j.part, j.status, to_char(j.opened_at at time zone 'Europe/London', 'DD Mon YYYY'), coalesce(to_char(j.promised_on, 'DD Mon YYYY'), ''), coalesce(j.yard_cost::text, '')
		from yard_job j join yard y on y.id = j.yard_id join vessel v on v.id = j.vessel_id where ($1 = 0 or j.yard_id = $1)`, []string{"Title", "Yard", "Boat", "Kind", "Part", "Status", "Opened", "Promised", "Yard cost"}, " and j.id = $2"},
	"enquiries": {"Enquiries", `select e.id::text, v.name, y.name, s.name, e.stage, e.came_by, coalesce(e.quoted_value::text, ''), to_char(e.opened_at at time zone 'Europe/London', 'DD Mon YYYY')
		from enquiry e join vessel v on v.id = e.vessel_id join yard y on y.id = e.yard_id join staff s on s.id = e.estimator_id where ($1 = 0 or e.yard_id = $1)`, []string{"Boat", "Yard", "Estimator", "Stage", "Came by", "Quoted", "Opened"}, " and e.id = $2"},
	"hazards": {"Hazards", `select h.id::text, h.title, y.name, h.area, h.likelihood::text, h.severity::text, h.safeguards, h.status, coalesce(to_char(h.review_due, 'DD Mon YYYY'), '')
		from hazard h join yard y on y.id = h.yard_id where ($1 = 0 or h.yard_id = $1)`, []string{"Title", "Yard", "Area", "Likelihood", "Severity", "Safeguards", "Status", "Review due"}, " and h.id = $2"},
	"invoices": {"Invoices", `select i.id::text, i.number, y.name, c.name, to_char(i.issued_on, 'DD Mon YYYY'), to_char(i.due_on, 'DD Mon YYYY'), coalesce(to_char(i.paid_on, 'DD Mon YYYY'), 'unpaid'), coalesce((select sum(net)::text from invoice_line l where l.invoice_id = i.id), '0')
		from invoice i join yard y on y.id = i.yard_id join customer c on c.id = i.customer_id where ($1 = 0 or i.yard_id = $1)`, []string{"Number", "Yard", "Customer", "Issued", "Due", "Paid", "Net"}, " and i.id = $2"},
}

func (a *App) rows(c *gin.Context, sql string, args ...any) ([][]string, error) {
	rows, err := a.db.Query(c, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(r pgx.CollectableRow) ([]string, error) {
		values, err := r.Values()
		out := make([]string, len(values))
		for i, v := range values {
			out[i] = fmt.Sprint(v)
		}
		return out, err
	})
}

func own(p Person) int {
	if p.Own() {
		return p.YardID
	}
	return 0
}

const pageSize = 40

func (a *App) list(c *gin.Context, name string) {
	number, _ := strconv.Atoi(c.Query("page"))
	number = max(0, min(number, 100000))
	rows, err := a.rows(c, lists[name].query+fmt.Sprintf(" order by 1::int desc limit %d offset %d", pageSize, number*pageSize), own(person(c)))
	if err != nil {
		a.fail(c, err)
		return
	}
	a.page(c, "list.html", gin.H{"Name": name, "List": lists[name], "Rows": rows, "Next": number + 1, "Before": number - 1, "More": len(rows) == pageSize})
}

func (a *App) record(c *gin.Context, name string) {
	id, err := strconv.Atoi(c.Param("id"))
	if err != nil {
		c.String(http.StatusNotFound, "There is no such record.")
		return
	}
	rows, err := a.rows(c, lists[name].query+lists[name].one, own(person(c)), id)
	if err != nil {
		a.fail(c, err)
		return
	}
	if len(rows) == 0 {
		c.String(http.StatusNotFound, "There is no such record that you may see.")
		return
	}
	var pairs [][2]string
	for i, column := range lists[name].Columns {
		pairs = append(pairs, [2]string{column, rows[0][i+1]})
	}
	data := gin.H{"Pairs": pairs, "Name": name, "List": lists[name], "Row": rows[0], "Saved": c.Query("saved"), "Wrong": c.Query("wrong")}
	switch name {
	case "jobs":
		data["Statuses"] = []string{"open", "in hand", "waiting for parts", "handed back", "withdrawn"}
		data["Kinds"] = kinds
	case "hazards":
		data["Statuses"] = []string{"open", "watched", "closed"}
		data["Safeguards"] = []string{"in place", "in part", "untested", "missing"}
	}
	a.page(c, "record.html", data)
}

func (a *App) save(c *gin.Context, name, sql string, args ...any) {
	id, _ := strconv.Atoi(c.Param("id"))
	tag, err := a.db.Exec(c, sql, append([]any{own(person(c)), id}, args...)...)
	if err != nil || tag.RowsAffected() == 0 {
		c.Redirect(http.StatusSeeOther, fmt.Sprintf("/%s/%d?wrong=yes", name, id))
		return
	}
	c.Redirect(http.StatusSeeOther, fmt.Sprintf("/%s/%d?saved=%s", name, id, time.Now().Format("15:04:05")))
}

func (a *App) saveJob(c *gin.Context) {
	a.save(c, "jobs", `update yard_job set status = $3, kind = $4, yard_cost = nullif($5::text, '')::numeric, changed_at = now() where id = $2 and ($1 = 0 or yard_id = $1)`,
		c.PostForm("status"), c.PostForm("kind"), strings.TrimSpace(c.PostForm("yard_cost")))
}

func (a *App) saveHazard(c *gin.Context) {
	a.save(c, "hazards", `update hazard set status = $3, safeguards = $4 where id = $2 and ($1 = 0 or yard_id = $1)`, c.PostForm("status"), c.PostForm("safeguards"))
}
