package chart

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"

	"eskadel/core/problem"
)

// MostOutline is how many points the outline of a map may have.
const MostOutline = 20_000

// outline turns GeoJSON (RFC 7946) into paths on a ground 100 wide, and returns how high
// that is and how a longitude and latitude are placed on it: by an equirectangular
// projection, true to scale at the middle latitude.
func outline(doc []byte) (paths []string, high float64, project func(lon, lat float64) (x, y float64), err error) {
	var g geometry
	if err := json.Unmarshal(doc, &g); err != nil {
		return nil, 0, nil, problem.New(problem.Invalid, "finish.outline", "The outline is not GeoJSON.")
	}
	lines, err := g.lines()
	if err != nil {
		return nil, 0, nil, err
	}
	west, east, south, north := math.Inf(1), math.Inf(-1), math.Inf(1), math.Inf(-1)
	points := 0
	for _, line := range lines {
		for _, p := range line {
			west, east = math.Min(west, p[0]), math.Max(east, p[0])
			south, north = math.Min(south, p[1]), math.Max(north, p[1])
			points++
		}
	}
	if points < 2 || west == east || south == north {
		return nil, 0, nil, problem.New(problem.Invalid, "finish.outline", "The outline holds no line to draw.")
	}
	if points > MostOutline {
		return nil, 0, nil, problem.New(problem.TooMany, "finish.outline", "The outline has %d points, more than %d: simplify it.", points, MostOutline)
	}
	narrow := math.Cos((south + north) / 2 * math.Pi / 180)
	scale := 96 / ((east - west) * narrow)
	high = (north-south)*scale + 4
	project = func(lon, lat float64) (float64, float64) {
		return 2 + (lon-west)*narrow*scale, 2 + (north-lat)*scale
	}
	for _, line := range lines {
		var b strings.Builder
		for i, p := range line {
			x, y := project(p[0], p[1])
			fmt.Fprintf(&b, "%c%.2f %.2f", "ML"[min(i, 1)], x, y)
		}
		paths = append(paths, b.String())
	}
	return paths, high, project, nil
}

// geometry is the part of GeoJSON that is drawn.
type geometry struct {
	Type        string          `json:"type"`
	Features    []geometry      `json:"features"`
	Geometry    *geometry       `json:"geometry"`
	Geometries  []geometry      `json:"geometries"`
	Coordinates json.RawMessage `json:"coordinates"`
}

func (g geometry) lines() (out [][][2]float64, err error) {
	parts := append(append([]geometry{}, g.Features...), g.Geometries...)
	if g.Geometry != nil {
		parts = append(parts, *g.Geometry)
	}
	for _, p := range parts {
		more, err := p.lines()
		if err != nil {
			return nil, err
		}
		out = append(out, more...)
	}
	var bad error
	read := func(into any) {
		if json.Unmarshal(g.Coordinates, into) != nil {
			bad = problem.New(problem.Invalid, "finish.outline", "A %s of the outline has coordinates that cannot be read.", g.Type)
		}
	}
	flat := func(lines [][][]float64) {
		for _, line := range lines {
			var l [][2]float64
			for _, p := range line {
				if len(p) < 2 {
					bad = problem.New(problem.Invalid, "finish.outline", "A point of the outline has fewer than two numbers.")
					return
				}
				l = append(l, [2]float64{p[0], p[1]})
			}
			out = append(out, l)
		}
	}
	switch g.Type {
	case "LineString":
		var l [][]float64
		read(&l)
		flat([][][]float64{l})
	case "Polygon", "MultiLineString":
		var l [][][]float64
		read(&l)
		flat(l)
	case "MultiPolygon":
		var l [][][][]float64
		read(&l)
		for _, p := range l {
			flat(p)
		}
	}
	return out, bad
}

// OutlineOf checks the outline of a chart's map: its paths and how high they are.
func OutlineOf(d *Document) (paths []string, high float64, err error) {
	paths, high, _, err = outline(d.finish().Outline)
	return paths, high, err
}
