package drawn

import (
	"encoding/json"
	"fmt"
	"strings"
)

// course is one line of a timetable.
type course struct {
	name, day, start, teacher, room string
	fee, places, minutes            int
}

// room is one place to let.
type room struct {
	Name       string   `json:"name"`
	Capacity   int      `json:"capacity"`
	Floor      string   `json:"floor"`
	Wheelchair bool     `json:"wheelchairAccess"`
	Equipment  []string `json:"equipment"`
	PerHour    string   `json:"pricePerHour"`
}

// Courses makes up a house of evening classes with rooms to let and a pool.
func Courses(seed uint64) Organisation {
	d := begin("courses", seed)
	cs, rs := d.courses(), d.rooms()
	for i := range cs {
		cs[i].room = rs[i%len(rs)].Name
	}
	d.timetable(cs)
	d.roomFile(rs)
	d.pool()
	d.aboutCourses(cs)
	d.aboutRooms(rs)
	return d.done()
}

func (d *draw) courses() []course {
	subjects := []string{"Pottery", "Watercolour", "Bookbinding", "Italian for beginners", "Italian conversation", "Life drawing", "Wood carving", "Bread baking"}
	days := []string{"Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Monday", "Tuesday", "Saturday"}
	starts := []string{"17:30", "18:00", "18:30", "19:00", "19:15", "19:30", "20:00", "10:00"}
	fees, places, minutes, teachers := d.different(8, 60, 190, 5), d.different(8, 6, 24, 1), d.different(8, 45, 150, 15), d.names(8, "son")
	var out []course
	for i, s := range subjects {
		out = append(out, course{name: s, day: days[i], start: starts[i], teacher: "A. " + teachers[i], fee: fees[i], places: places[i], minutes: minutes[i]})
	}
	return out
}

func (d *draw) rooms() []room {
	names := d.names(4, "el")
	capacity, price := d.different(4, 12, 120, 4), d.different(4, 15, 70, 5)
	var out []room
	for i, n := range names {
		r := room{Name: n + " Room", Capacity: capacity[i], Floor: []string{"ground", "first", "second", "ground"}[i], Wheelchair: i != 2, Equipment: []string{"whiteboard"}, PerHour: pounds(price[i])}
		if i%2 == 1 {
			r.Equipment = append(r.Equipment, "projector")
		}
		out = append(out, r)
	}
	return out
}

func (d *draw) timetable(cs []course) {
	var rows [][]string
	for _, c := range cs {
		rows = append(rows, []string{c.name, c.day, c.start, fmt.Sprintf("%d minutes", c.minutes), c.teacher, c.room, pounds(c.fee), fmt.Sprint(c.places)})
	}
	body := "<html><head><title>Evening classes</title></head><body><main><h1>Evening classes</h1><p>Classes run for ten weeks from 14 September. Book at the desk or by telephone.</p>" + htmlTable("Autumn term 2026", []string{"Class", "Day", "Starts", "Length", "Teacher", "Room", "Fee", "Places"}, rows) + "<h2>Refunds</h2><p>A fee is paid back in full when you withdraw at least seven days before the first evening. After that nothing is paid back.</p><h2>What to bring</h2><p>For pottery bring an apron and a towel. Clay is included in the fee. For life drawing bring paper and charcoal.</p></main></body></html>"
	d.page("classes.html", "text/html", body)
}

func (d *draw) roomFile(rs []room) {
	raw, err := json.MarshalIndent(map[string]any{"rooms": rs}, "", "  ")
	if err != nil {
		panic(err) // these types always encode
	}
	d.page("rooms.json", "application/json", string(raw))
}

// season is a table of admission.
type season struct {
	name   string
	prices [3][3]int // ticket by age
}

func (d *draw) pool() {
	tickets, ages := []string{"Single swim", "Ten swims", "Family ticket"}, []string{"Adult", "Child", "Over 65"}
	all := d.different(18, 2, 60, 1)
	seasons := []season{{name: "Summer (May to September)"}, {name: "Winter (October to April)"}}
	body := "# Swimming pool\n\nThe pool is 25 metres long and has six lanes. Children under 8 swim with an adult.\n\n"
	for s := range seasons {
		var rows [][]string
		for t := range tickets {
			row := []string{tickets[t]}
			for a := range ages {
				seasons[s].prices[t][a] = all[9*s+3*t+a]
				row = append(row, pounds(all[9*s+3*t+a]))
			}
			rows = append(rows, row)
		}
		body += "## " + seasons[s].name + "\n\n" + markdownTable(append([]string{"Ticket"}, ages...), rows) + "\n"
	}
	body += "## Hours\n\n- Monday to Friday: 06:30 to 21:00\n- Saturday: 08:00 to 18:00\n- Sunday: 09:00 to 17:00\n- Public holidays: closed\n\n## Lockers\n\nLockers take a one pound coin, which you get back.\n"
	d.page("pool.md", "text/markdown", body)
	summer, winter := seasons[0].prices, seasons[1].prices
	d.ask("scope", "What does a single swim cost for a child in July?", one(pounds(summer[0][1])))
	d.but(pounds(winter[0][1]))
	d.ask("scope", "How much is the ten swims ticket for an adult in winter?", one(pounds(winter[1][0])))
	d.but(pounds(summer[1][0]))
	d.ask("open", "How much is a single swim for an adult?", one(pounds(summer[0][0])), one(pounds(winter[0][0])))
	d.ask("hours", "When is the pool open on Sunday?", one("09:00"), one("17:00"))
	d.ask("hours", "Can I swim on Wednesday at 7 in the morning?", []string{"06:30"})
	d.ask("hours", "Is the pool open on public holidays?", []string{"closed", "no"})
	d.ask("prose", "How long is the pool?", one("25 metres"))
	d.ask("prose", "From what age may children swim alone?", one("8"))
	d.ask("near", "How deep is the pool?")
	d.ask("near", "How warm is the water?")
	d.ask("near", "What does a single swim cost for a dog?")
}

func (d *draw) aboutCourses(cs []course) {
	a, b, c, e := cs[0], cs[3], cs[5], cs[7]
	d.ask("cell", "What does "+a.name+" cost?", one(pounds(a.fee)))
	d.ask("cell", "Who teaches "+c.name+"?", one(c.teacher))
	d.ask("cell", "When does "+b.name+" start?", one(b.start))
	d.ask("cell", "How many places does "+e.name+" have?", one(fmt.Sprint(e.places)))
	d.ask("cell", "In which room is "+cs[6].name+"?", one(cs[6].room))
	d.ask("cell", "How long is one evening of "+cs[1].name+"?", one(fmt.Sprintf("%d minutes", cs[1].minutes)))
	d.ask("misspelt", "wat does "+slip("Bookbinding")+" cost", one(pounds(cs[2].fee)))
	d.ask("two-word", "pottery teacher", one(a.teacher))
	d.ask("list", "Which classes are on Tuesday?", one(cs[1].name), one(cs[6].name))
	d.but(cs[3].name)
	var under [][]string
	var fees, minutes, places []int
	for _, x := range cs {
		if x.fee < 100 {
			under = append(under, one(x.name))
		}
		fees, minutes, places = append(fees, x.fee), append(minutes, x.minutes), append(places, x.places)
	}
	if len(under) > 0 {
		d.ask("list", "Which classes cost less than £100?", under...)
	}
	cheap, dear := ends(fees)
	d.ask("superlative", "Which is the cheapest class?", one(cs[cheap].name))
	d.ask("superlative", "What is the most expensive evening class?", one(cs[dear].name))
	_, long := ends(minutes)
	d.ask("superlative", "Which class is the longest?", one(cs[long].name))
	_, most := ends(places)
	d.ask("superlative", "Which class has the most places?", one(cs[most].name))
	d.ask("superlative", "Which class starts the latest?", one(cs[6].name))
	d.ask("count", "How many classes are there on Mondays?", []string{"2", "two"})
	x, y := cs[3], cs[4]
	if x.fee > y.fee {
		x, y = y, x
	}
	d.ask("comparison", "Which is cheaper, "+cs[3].name+" or "+cs[4].name+"?", one(x.name), one(pounds(x.fee)))
	d.ask("reverse", "What does "+c.teacher+" teach?", one(c.name))
	d.ask("prose", "Do I get my fee back when I withdraw?", one("seven days"))
	d.ask("prose", "What do I bring to life drawing?", one("charcoal"))
	d.ask("near", "What do I bring to bread baking?")
	d.ask("near", "Who teaches French?")
	d.ask("near", "What does Spanish for beginners cost?")
	d.ask("near", "On which day is the chess club?")
}

func (d *draw) aboutRooms(rs []room) {
	short := func(r room) string { return strings.TrimSuffix(r.Name, " Room") }
	d.ask("record", "How many people fit into the "+rs[0].Name+"?", one(fmt.Sprint(rs[0].Capacity)))
	d.ask("record", "What does the "+rs[1].Name+" cost per hour?", one(rs[1].PerHour))
	d.ask("record", "On which floor is the "+rs[2].Name+"?", one(rs[2].Floor))
	d.ask("yesno", "Is there wheelchair access to the "+rs[2].Name+"?", one("no"))
	d.ask("list", "Which rooms have a projector?", one(short(rs[1])), one(short(rs[3])))
	d.but(short(rs[0]))
	var capacity []int
	for _, r := range rs {
		capacity = append(capacity, r.Capacity)
	}
	small, large := ends(capacity)
	d.ask("superlative", "Which room is the largest?", one(short(rs[large])))
	d.ask("superlative", "What is the smallest room you let?", one(short(rs[small])))
	d.ask("near", "How many people fit into the "+d.name("el")+" Room?")
	d.ask("near", "Is there a piano in the "+rs[0].Name+"?")
}
