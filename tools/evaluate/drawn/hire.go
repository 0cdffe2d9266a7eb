package drawn

import (
	"fmt"
	"strings"
)

// tool is one thing that is hired out.
type tool struct {
	name, kind                         string
	day, week, deposit, weight, before int
}

// branch is one place of the hire firm.
type branch struct {
	town, street, phone     string
	opens, closes           int
	satOpens, satCloses     int // 0 for closed
	sunOpens, sunCloses     int
	parking                 int
	takesCards, hasWorkshop bool
	stock                   map[string]int
}

// Hire makes up a firm that hires out tools from several branches.
func Hire(seed uint64) Organisation {
	d := begin("hire", seed)
	tools, branches := d.tools(), d.branches()
	d.prices(tools)
	d.branchPages(branches, tools)
	d.delivery()
	d.aboutTools(tools)
	d.aboutBranches(branches, tools)
	return d.done()
}

func (d *draw) tools() []tool {
	kinds := []string{"Concrete mixer", "Floor sander", "Pressure washer", "Hedge trimmer"}
	makes := d.names(len(kinds), "a")
	days, weeks := d.different(12, 12, 60, 2), d.different(12, 70, 240, 5)
	deposits, weights, before := d.different(12, 40, 200, 10), d.different(12, 4, 70, 1), d.different(12, 62, 120, 2)
	var out []tool
	for k, kind := range kinds {
		for i, model := range []string{" 200", " 400", " 600"} {
			n := 3*k + i
			out = append(out, tool{makes[k] + model, kind, days[n], weeks[n], deposits[n], weights[n], before[n]})
		}
	}
	return out
}

func (d *draw) branches() []branch {
	towns, streets := d.names(5, "ford"), d.names(5, "gate")
	parking := d.different(5, 4, 30, 2)
	var out []branch
	for i, t := range towns {
		b := branch{town: t, street: streets[i] + " Road", phone: fmt.Sprintf("01632 960%03d", d.r.IntN(1000)), opens: 7 + d.r.IntN(2), closes: 16 + d.r.IntN(3), parking: parking[i], takesCards: i != 2, hasWorkshop: i == 1 || i == 3}
		if i != 4 {
			b.satOpens, b.satCloses = 9, 12+d.r.IntN(4)
		}
		if i == 0 {
			b.sunOpens, b.sunCloses = 10, 14
		}
		out = append(out, b)
	}
	return out
}

func (d *draw) prices(tools []tool) {
	now, old := "<html><head><title>Hire prices</title></head><body><main><h1>Hire prices</h1><p>Prices include VAT and are valid from 1 March 2026.</p>", "<html><head><title>Hire prices 2024</title></head><body><main><h1>Hire prices 2024</h1><p>These prices were valid until 31 December 2024.</p>"
	for k := 0; k < len(tools); k += 3 {
		var rows, olds [][]string
		for _, t := range tools[k : k+3] {
			rows = append(rows, []string{t.name, pounds(t.day), pounds(t.week), pounds(t.deposit), fmt.Sprintf("%d kg", t.weight)})
			olds = append(olds, []string{t.name, pounds(t.before)})
		}
		now += "<h2>" + tools[k].kind + "s</h2>" + htmlTable("", []string{"Model", "Per day", "Per week", "Deposit", "Weight"}, rows)
		old += "<h2>" + tools[k].kind + "s</h2>" + htmlTable("", []string{"Model", "Per day"}, olds)
	}
	d.page("prices.html", "text/html", now+"</main></body></html>")
	d.page("prices-2024.html", "text/html", old+"</main></body></html>")
}

func clock(h int) string { return fmt.Sprintf("%02d:00", h) }

func hours(from, to int) string {
	if from == 0 {
		return "closed"
	}
	return clock(from) + " to " + clock(to)
}

func yes(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

func (d *draw) branchPages(branches []branch, tools []tool) {
	stock := "model,branch,in stock\n"
	for i := range branches {
		b := &branches[i]
		b.stock = map[string]int{}
		for _, t := range tools {
			b.stock[t.name] = d.r.IntN(9)
			stock += fmt.Sprintf("%s,%s,%d\n", t.name, b.town, b.stock[t.name])
		}
		var week [][]string
		for _, day := range []string{"Monday", "Tuesday", "Wednesday", "Thursday", "Friday"} {
			week = append(week, []string{day, hours(b.opens, b.closes)})
		}
		week = append(week, []string{"Saturday", hours(b.satOpens, b.satCloses)}, []string{"Sunday", hours(b.sunOpens, b.sunCloses)})
		d.page("branch-"+strings.ToLower(b.town)+".html", "text/html", "<html><head><title>"+b.town+" branch</title></head><body><main><h1>"+b.town+" branch</h1><p>Our branch in "+b.town+" stands beside the old station.</p><dl><dt>Address</dt><dd>"+b.street+", "+b.town+"</dd><dt>Telephone</dt><dd>"+b.phone+
			"</dd><dt>Parking spaces</dt><dd>"+fmt.Sprint(b.parking)+"</dd><dt>Cards accepted</dt><dd>"+yes(b.takesCards)+"</dd><dt>Repair workshop</dt><dd>"+yes(b.hasWorkshop)+"</dd></dl><h2>Opening hours</h2>"+htmlTable("", []string{"Day", "Hours"}, week)+"</main></body></html>")
	}
	d.page("stock.csv", "text/csv", stock)
}

func (d *draw) delivery() {
	charges := d.different(4, 10, 60, 5)
	rows := [][]string{{"Up to 5 miles", pounds(charges[0])}, {"6 to 15 miles", pounds(charges[1])}, {"16 to 30 miles", pounds(charges[2])}, {"31 to 50 miles", pounds(charges[3])}}
	d.page("delivery.md", "text/markdown", "# Delivery\n\nWe deliver and collect on working days. Order before noon for delivery on the next day.\n\n## Charges\n\n"+markdownTable([]string{"Distance from the branch", "Charge"}, rows)+"\n## Late return\n\nA tool that comes back after the agreed time costs a further half day.\n")
	d.ask("range", "What does delivery cost for 12 miles?", one(rows[1][1]))
	d.ask("range", "How much do you charge to deliver 40 miles away?", one(rows[3][1]))
	d.ask("prose", "What happens when I bring a tool back late?", one("half day"))
	d.ask("near", "What does delivery to France cost?")
}

func (d *draw) aboutTools(tools []tool) {
	a, b, c, e := tools[0], tools[4], tools[8], tools[10]
	d.ask("cell", "How much is the "+a.name+" per day?", one(pounds(a.day)))
	d.but(pounds(a.before))
	d.ask("cell", "What does a week with the "+b.name+" cost?", one(pounds(b.week)))
	d.ask("cell", "What deposit do I pay for the "+c.name+"?", one(pounds(c.deposit)))
	d.ask("cell", "How heavy is the "+e.name+"?", one(fmt.Sprintf("%d kg", e.weight)))
	d.ask("misspelt", "how much is the "+strings.Replace(b.name, b.name[:len(b.name)-4], slip(b.name[:len(b.name)-4]), 1)+" per day", one(pounds(b.day)))
	d.ask("two-word", e.name+" price", one(pounds(e.day)))
	d.ask("old", "What did the "+a.name+" cost per day in 2024?", one(pounds(a.before)))
	var days, weights []int
	var mixers, light []string
	for i, t := range tools {
		days, weights = append(days, t.day), append(weights, t.weight)
		if i < 3 {
			mixers = append(mixers, t.name)
		}
		if t.weight < 15 {
			light = append(light, t.name)
		}
	}
	cheap, _ := ends(days[3:6])
	d.ask("superlative", "Which floor sander is the cheapest per day?", one(tools[3+cheap].name))
	_, heavy := ends(weights)
	d.ask("superlative", "What is the heaviest tool that you hire out?", one(tools[heavy].name))
	light1, _ := ends(weights[9:12])
	d.ask("superlative", "Which hedge trimmer weighs the least?", one(tools[9+light1].name))
	var each [][]string
	for _, m := range mixers {
		each = append(each, one(m))
	}
	d.ask("list", "Which concrete mixers do you have?", each...)
	if each = nil; len(light) > 0 {
		for _, m := range light {
			each = append(each, one(m))
		}
		d.ask("list", "Which tools weigh less than 15 kg?", each...)
	}
	x, y := tools[6], tools[7]
	if x.day > y.day {
		x, y = y, x
	}
	d.ask("comparison", "Is the "+tools[6].name+" or the "+tools[7].name+" cheaper per day?", one(x.name), one(pounds(x.day)))
	d.ask("comparison", "Which has the larger deposit, the "+a.name+" or the "+tools[1].name+"?", one(larger(a, tools[1]).name))
	d.ask("reverse", "Which model costs "+pounds(c.week)+" per week?", one(c.name))
	d.ask("near", "How much is the "+a.name[:len(a.name)-4]+" 900 per day?")
	d.ask("near", "What is the noise level of the "+a.name+"?")
	d.ask("near", "What does a chainsaw cost per day?")
	d.ask("near", "How long is the cable of the "+e.name+"?")
}

func larger(a, b tool) tool {
	if a.deposit > b.deposit {
		return a
	}
	return b
}

func (d *draw) aboutBranches(bs []branch, tools []tool) {
	d.ask("hours", "When is the "+bs[1].town+" branch open on Saturdays?", []string{clock(bs[1].satOpens), "9:00", "9 am"}, one(clock(bs[1].satCloses)))
	d.ask("hours", "Is the "+bs[4].town+" branch open on Saturday?", []string{"closed", "no"})
	d.ask("hours", "What time does "+bs[2].town+" close on Fridays?", one(clock(bs[2].closes)))
	d.ask("list", "Which branches are open on Sundays?", one(bs[0].town))
	d.but(bs[1].town)
	d.ask("record", "What is the telephone number of the "+bs[3].town+" branch?", one(bs[3].phone))
	d.ask("record", "Where is the "+bs[2].town+" branch?", one(bs[2].street))
	d.ask("record", "How many parking spaces are there at "+bs[1].town+"?", one(fmt.Sprint(bs[1].parking)))
	d.ask("yesno", "Can I pay by card at "+bs[2].town+"?", one("no"))
	d.ask("list", "Which branches have a repair workshop?", one(bs[1].town), one(bs[3].town))
	var spaces []int
	for _, b := range bs {
		spaces = append(spaces, b.parking)
	}
	_, most := ends(spaces)
	d.ask("superlative", "Which branch has the most parking spaces?", one(bs[most].town))
	t := tools[5]
	d.ask("record", "How many "+t.name+" are in stock at "+bs[0].town+"?", one(fmt.Sprint(bs[0].stock[t.name])))
	d.ask("near", "When is the "+d.name("ford")+" branch open?")
	d.ask("near", "What is the mail address of the "+bs[0].town+" branch?")
	d.ask("near", "Who manages the "+bs[1].town+" branch?")
}
