package people

import (
	"reflect"
	"slices"
	"strconv"
	"strings"

	"ableroster/client"
	"ableroster/cmd/roster/command"
	"ableroster/wire"
)

func init() {
	command.Add("users list", "[-q TEXT] [-unit UNIT] [-status STATUS] [-group GROUP] [-where FILTER]", "list users", UsersList)
	command.Add("views list", "", "your views of the list of users, and those that others share, with how many they show", ViewsList)
	command.Add("views save", "KEY [-where FILTER] [-columns A,B] [-shared]", "save a view of the list of users", ViewsSave)
	command.Add("views remove", "KEY", "remove a saved view", ViewsRemove)
}

// listing are the flags that choose users for a list.
type listing struct {
	text, unit, status, group, where, sort, columns, view *string
}

func newListing(c *command.Call) *listing {
	text := func(name, about string) *string { return c.Flags.String(name, "", about) }
	return &listing{
		text:    text("q", "text in the name, user name, title or e-mail"),
		unit:    text("unit", "this unit and all below it"),
		status:  text("status", "invited, active, suspended or departed"),
		group:   text("group", "members of this group, at any depth"),
		where:   text("where", "a filter, as employment_type eq \"contractor\" and end_date lt \"2027-01-01\" (RFC 7644, section 3.4.2.2; within is the unit and all above it)"),
		sort:    text("sort", "an attribute, name by default; - before it for the other way round"),
		columns: text("columns", "attributes to show, with commas between them"),
		view:    text("view", "a saved view; what else is given comes in its place"),
	}
}

// usual are the columns of a list that says nothing of them.
var usual = []string{"user_name", "name", "status", "unit", "title", "end_date"}

// chosen is the query of a list, and the columns it shows.
func (l *listing) chosen(c *command.Call) (wire.ViewSearch, []string, error) {
	var s wire.ViewSearch
	columns := usual
	if *l.view != "" {
		all, err := c.Client.Views(c.Ctx)
		if err != nil {
			return s, nil, err
		}
		i := slices.IndexFunc(all.Views, func(v wire.SavedView) bool { return v.Key == *l.view })
		if i < 0 {
			var keys []string
			for _, v := range all.Views {
				keys = append(keys, v.Key)
			}
			if len(keys) == 0 {
				return s, nil, command.WrongUse("no view is saved; roster views save does")
			}
			return s, nil, command.WrongUse("-view is one of " + strings.Join(keys, ", "))
		}
		s = all.Views[i].Search
		if len(all.Views[i].Columns) > 0 {
			columns = all.Views[i].Columns
		}
	}
	for _, x := range []struct{ to, from *string }{{&s.Query, l.text}, {&s.Unit, l.unit}, {&s.Status, l.status}, {&s.Group, l.group}, {&s.Filter, l.where}, {&s.Sort, l.sort}} {
		if *x.from != "" {
			*x.to = *x.from
		}
	}
	if *l.columns != "" {
		columns = strings.Split(*l.columns, ",")
	}
	return s, columns, nil
}

func queryOf(s wire.ViewSearch) client.Query {
	return client.Query{"q": s.Query, "unit": s.Unit, "status": s.Status, "group": s.Group, "filter": s.Filter, "sort": s.Sort}
}

func UsersList(c *command.Call) error {
	c.Reads()
	list := newListing(c)
	limit := c.Flags.Int("limit", 0, "at most so many rows; all by default")
	if err := c.Parse(); err != nil {
		return err
	}
	if *limit < 0 {
		return command.WrongUse("-limit is a number of rows")
	}
	search, columns, err := list.chosen(c)
	if err != nil {
		return err
	}
	q, err := c.At(queryOf(search))
	if err != nil {
		return err
	}
	all := wire.UserList{Users: []wire.User{}}
	q["limit"] = "500"
	for {
		page, err := c.Client.Users(c.Ctx, q)
		if err != nil {
			return err
		}
		all.Basis, all.Total, all.Users = page.Basis, page.Total, append(all.Users, page.Users...)
		if page.Next == "" || *limit > 0 && len(all.Users) >= *limit {
			break
		}
		q["cursor"] = page.Next
	}
	if *limit > 0 && len(all.Users) > *limit {
		all.Users = all.Users[:*limit]
	}
	for _, name := range columns {
		if _, ok := userColumn(wire.User{}, name); !ok && !declared(c, name) {
			return command.WrongUse("-columns: there is no attribute “" + name + "”; roster attributes list has those declared here")
		}
	}
	var rows [][]string
	for _, u := range all.Users {
		var row []string
		for _, name := range columns {
			text, _ := userColumn(u, name)
			row = append(row, text)
		}
		rows = append(rows, row)
	}
	c.Table(all, columns, rows)
	c.Say("%s of %d%s.", command.Count(len(all.Users), "user"), all.Total, c.AsOfWords(all.Basis))
	return nil
}

// userColumn is what a column of a list shows; known is false for one that only a
// declared attribute could be.
func userColumn(u wire.User, name string) (text string, known bool) {
	switch name {
	case "name":
		return u.DisplayName, true
	case "manager":
		if u.Manager != nil {
			return u.Manager.Label, true
		}
		return "", true
	}
	if i, ok := textFields[name]; ok {
		return reflect.ValueOf(u).FieldByIndex(i).String(), true
	}
	return u.Custom[name], false
}

// textFields are where the texts of a user lie, by their name in the API.
var textFields = func() map[string][]int {
	out := map[string][]int{}
	for _, f := range reflect.VisibleFields(reflect.TypeFor[wire.User]()) {
		if name, _, _ := strings.Cut(f.Tag.Get("json"), ","); f.Type.Kind() == reflect.String {
			out[name] = f.Index
		}
	}
	return out
}()

// declared says whether an attribute is.
func declared(c *command.Call, key string) bool {
	all, err := c.Client.Attributes(c.Ctx, nil)
	return err == nil && slices.ContainsFunc(all.Attributes, func(a wire.Attribute) bool { return a.Key == key })
}

func ViewsList(c *command.Call) error {
	if err := c.Parse(); err != nil {
		return err
	}
	all, err := c.Client.Views(c.Ctx)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, v := range all.Views {
		q := queryOf(v.Search)
		q["limit"] = "1"
		users := "cannot be read any more"
		if page, err := c.Client.Users(c.Ctx, q); err == nil {
			users = strconv.Itoa(page.Total)
		}
		whose := "own"
		switch {
		case !v.Mine:
			whose = "shared by " + v.Owner.Label
		case v.Shared:
			whose = "own, shared"
		}
		rows = append(rows, []string{v.Key, v.Label, whose, users, searchWords(v.Search)})
	}
	c.Table(all, []string{"view", "label", "whose", "users", "shows"}, rows)
	if len(rows) == 0 {
		c.Say("No view is saved. roster views save does.")
	}
	return nil
}

func searchWords(s wire.ViewSearch) string {
	var out []string
	for _, x := range []struct{ name, text string }{{"q", s.Query}, {"unit", s.Unit}, {"status", s.Status}, {"group", s.Group}, {"where", s.Filter}, {"sort", s.Sort}} {
		if x.text != "" {
			out = append(out, x.name+" "+x.text)
		}
	}
	return strings.Join(out, "; ")
}

func ViewsSave(c *command.Call) error {
	list := newListing(c)
	label := c.Flags.String("label", "", "what people call it; the key by default")
	shared := c.Flags.Bool("shared", false, "for everybody, each within what they may read")
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	search, columns, err := list.chosen(c)
	if err != nil {
		return err
	}
	if *label == "" {
		*label = c.Args[0]
	}
	if err := c.Client.PutView(c.Ctx, c.Args[0], wire.ViewRequest{Label: *label, Shared: *shared, Search: search, Columns: columns}); err != nil {
		return err
	}
	c.Done("Saved. roster users list -view %s shows it.", c.Args[0])
	return nil
}

func ViewsRemove(c *command.Call) error {
	if err := c.Parse("KEY"); err != nil {
		return err
	}
	if err := c.Client.DeleteView(c.Ctx, c.Args[0]); err != nil {
		return err
	}
	c.Done("The view %s is gone.", c.Args[0])
	return nil
}
