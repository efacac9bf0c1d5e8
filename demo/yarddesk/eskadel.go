package yarddesk

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/golang-jwt/jwt/v5"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// eskadelPass signs a viewer pass for whoever is signed in. Eskadel's tag asks for it
// when the page opens and again before it expires. The pass says who is looking, and
// what Eskadel's row rules need to know of them: role, yard and staff id.
// shown are the dashboards that the home page offers, the first of them at first.
var shown = []struct{ Name, Title string }{
	{"yard-today", "Yard today"}, {"refit-enquiries", "Refit enquiries"}, {"berths", "Berths"}, {"hazards", "Hazards"}, {"money", "Money"},
}

func dashboards() (names []string) {
	for _, d := range shown {
		names = append(names, d.Name)
	}
	return names
}

func (a *App) eskadelPass(c *gin.Context) {
	p := person(c)
	attributes := map[string]any{"staff": p.ID}
	if p.Own() {
		attributes["yard"] = p.YardID
	}
	now := time.Now()
	pass := jwt.NewWithClaims(jwt.SigningMethodHS256, jwt.MapClaims{
		"iss": "yard-desk", "aud": "eskadel", "sub": fmt.Sprint(p.ID), "name": p.Name, "email": p.Email,
		"iat": now.Unix(), "nbf": now.Unix(), "exp": now.Add(5 * time.Minute).Unix(),
		"roles": []string{p.Role}, "attributes": attributes,
		"scope": map[string]any{"dashboards": dashboards()},
	})
	pass.Header["kid"] = a.config.KeyID
	signed, err := pass.SignedString([]byte(a.config.Secret))
	if err != nil {
		c.String(http.StatusInternalServerError, "The pass could not be signed.")
		return
	}
	c.Header("Cache-Control", "no-store")
	c.String(http.StatusOK, signed)
}

// A change is what Eskadel asks for when somebody changes a job in a list there.
type change struct {
	Change int64
	Record map[string]string
	Column string
	Was    *string
	Now    *string
}

// changes are the columns of a job that are changed from Eskadel, each with its type.
var changes = map[string]string{"status": "text", "kind": "text", "yard_cost": "numeric"}

// eskadelChange changes a job for Eskadel, by the same rules as its own page: staff of a yard change that
// yard's jobs. The request is signed with the key that viewer passes are signed with, and speaks of the
// viewer by the id that the pass gave.
func (a *App) eskadelChange(c *gin.Context) {
	say := func(status int, format string, args ...any) {
		c.JSON(status, gin.H{"message": fmt.Sprintf(format, args...)})
	}
	body, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, 64<<10))
	if err != nil {
		say(http.StatusRequestEntityTooLarge, "This is too large.")
		return
	}
	var claims struct {
		jwt.RegisteredClaims
		Name string `json:"name"`
		Body string `json:"body"`
	}
	sum := sha256.Sum256(body)
	token, err := jwt.ParseWithClaims(strings.TrimPrefix(c.GetHeader("Authorization"), "Bearer "), &claims, func(*jwt.Token) (any, error) { return []byte(a.config.Secret), nil },
		jwt.WithValidMethods([]string{"HS256"}), jwt.WithIssuer("eskadel"), jwt.WithAudience("yard-desk"), jwt.WithExpirationRequired())
	var order change
	if err != nil || token.Header["kid"] != a.config.KeyID || claims.Body != hex.EncodeToString(sum[:]) || json.Unmarshal(body, &order) != nil || order.Record["id"] != c.Param("id") {
		say(http.StatusUnauthorized, "This is not signed by Eskadel.")
		return
	}
	var p Person
	staff, _ := strconv.Atoi(claims.Subject)
	err = a.db.QueryRow(c, "select id, name, role, yard_id from staff where id = $1", staff).Scan(&p.ID, &p.Name, &p.Role, &p.YardID)
	kind, known := changes[order.Column]
	switch {
	case errors.Is(err, pgx.ErrNoRows):
		say(http.StatusForbidden, "%s is none of the yards' staff, who change jobs.", claims.Name)
		return
	case err != nil:
		say(http.StatusInternalServerError, "Yard Desk's database does not answer.")
		return
	case !known:
		say(http.StatusForbidden, "This is not changed from outside Yard Desk.")
		return
	}
	id, _ := strconv.Atoi(c.Param("id"))
	tag, err := a.db.Exec(c, fmt.Sprintf("update yard_job set %[1]s = $3::text::%[2]s, changed_at = now() where id = $1 and ($2 = 0 or yard_id = $2) and %[1]s is not distinct from $4::text::%[2]s", order.Column, kind), id, own(p), order.Now, order.Was)
	var refused *pgconn.PgError
	switch {
	case errors.As(err, &refused):
		say(http.StatusUnprocessableEntity, "Yard Desk keeps no such %s.", strings.ReplaceAll(order.Column, "_", " "))
	case err != nil:
		say(http.StatusInternalServerError, "Yard Desk's database does not answer.")
	case tag.RowsAffected() == 0:
		say(http.StatusConflict, "This job was changed meanwhile, or is not one of your yard.")
	default:
		c.JSON(http.StatusOK, gin.H{})
	}
}
