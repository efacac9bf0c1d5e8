package yarddesk

// All people, places, boats and figures are invented.

type yardSeed struct {
	name, region string
	x, y, weight float64
}

var yards = []yardSeed{
	{"Ravel Point", "North Shore", 18, 22, 1.25}, {"Ostrey", "North Shore", 41, 14, 1.0}, {"Tarn Quay", "North Shore", 66, 30, 1.1},
	{"Hollin Creek", "South Shore", 35, 71, 0.9}, {"Marrow Bay", "South Shore", 78, 82, 0.75},
}

// behind is the yard that falls behind its plan and starts late more and more.
const behind = 3

var (
	first    = []string{"Ada", "Bram", "Cleo", "Dov", "Edda", "Finn", "Greta", "Hal", "Ines", "Joss", "Kit", "Lena", "Mara", "Ned", "Orla", "Piet", "Quin", "Rhea", "Sten", "Tove", "Una", "Vik", "Wren", "Yara", "Zeb"}
	last     = []string{"Quill", "Harrow", "Sands", "Tiller", "Brack", "Mornay", "Penhale", "Osk", "Reeve", "Tamsin", "Vane", "Wick", "Yarrow", "Cobb", "Drift", "Ferrow", "Garth", "Holm", "Isley", "Kerr", "Lund", "Marsh", "Nairn", "Orme"}
	ports    = []string{"Skerrin", "Ravel", "Ostrey", "Little Tarn", "Hollin", "Marrow", "Cold Haven", "Stack Harbour", "Pell"}
	boats    = []string{"Kittiwake", "Second Wind", "Brimstone", "Lady Orme", "Saltwind", "Grey Heron", "Patience", "Tern", "Halcyon", "Marigold", "Northerly", "Wild Thyme", "Curlew", "Old Penny", "Fair Isle", "Gannet", "Morning Star", "Silver Darling", "Puffin", "Borealis"}
	craft    = []string{"sloop", "ketch", "motor cruiser", "trawler", "pilot cutter", "catamaran", "dinghy"}
	owners   = []string{"private", "charter", "fishing", "pilot service", "sailing school"}
	ways     = []string{"word of mouth", "boat show", "website", "broker", "returning"}
	stages   = []string{"asked", "looked at", "quoted", "agreed", "booked in", "handed back"}
	kinds    = []string{"seasonal care", "mishap", "survey finding", "rework", "fit-out"}
	groups   = []string{"hull", "engine", "rigging", "electrics", "plumbing", "steering", "deck"}
	parts    = map[string][]string{"hull": {"keel", "planking", "gelcoat", "through-hulls"}, "engine": {"diesel engine", "gearbox", "shaft", "exhaust"}, "rigging": {"mast", "shrouds", "winches", "halyards"}, "electrics": {"batteries", "wiring", "charger", "lights"}, "plumbing": {"bilge pump", "tanks", "heads"}, "steering": {"rudder", "wheel", "autopilot"}, "deck": {"hatches", "rails", "teak", "windlass"}}
	lines    = []string{"berthing", "lifting", "repair", "refit", "storage", "chandlery"}
	services = map[string][]string{"berthing": {"summer berth", "visitor nights"}, "lifting": {"travel lift", "crane"}, "repair": {"engine repair", "hull repair", "rigging repair"}, "refit": {"interior refit", "repower"}, "storage": {"winter storage", "mast storage"}, "chandlery": {"parts", "paint"}}
	// costs are how much of a service's price it costs, on average.
	costs   = map[string]float64{"summer berth": 0.41, "visitor nights": 0.36, "travel lift": 0.58, "crane": 0.66, "engine repair": 0.64, "hull repair": 0.71, "rigging repair": 0.59, "interior refit": 0.79, "repower": 0.86, "winter storage": 0.44, "mast storage": 0.52, "parts": 0.68, "paint": 0.63}
	makers  = []string{"Bellwether Marine", "Corran Castings", "Dunnet & Daughters", "Eastermost Spares", "Fathom Works", "Gull & Oar"}
	areas   = []string{"slipway", "travel lift", "paint shed", "pontoons", "fuel berth", "workshop", "stores", "gangway"}
	dangers = []string{"Slippery planks", "Loose guard rail", "Worn lifting sling", "Fumes without extraction", "Trailing cables", "Blocked escape way", "Unmarked drop", "Fuel spill risk", "Faulty shore power", "Unlit steps"}
)

// badSupplier is the one after whose parts rework rises.
const badSupplier = 5
