package yarddesk

import (
	"fmt"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/golang-jwt/jwt/v5"
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
		"iss": "yard-desk", "aud": "eskadel", "sub": fmt.Sprint(p.ID), "name": p.Name,
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
