package authzen

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"sort"
	"strconv"
	"strings"

	"ableroster/internal/calendar"
	"ableroster/internal/fact"
	"ableroster/internal/patterns"
	"ableroster/internal/query"
	"ableroster/internal/questions"
	"ableroster/internal/seeing"
	"ableroster/wire"
)

// mostOnPage bounds a page of results.
const mostOnPage = 1000

// Found is the answer to a search: entities by type and id, or actions by name (section 8.1).
type Found struct {
	Results []Result  `json:"results"`
	Page    FoundPage `json:"page"`
	Context *Cut      `json:"context,omitempty"`
}

// Result is one that was found.
type Result struct {
	Type string `json:"type,omitempty"`
	ID   string `json:"id,omitempty"`
	Name string `json:"name,omitempty"`
}

// FoundPage is section 8.2.2.
type FoundPage struct {
	NextToken string `json:"next_token"`
	Count     int    `json:"count"`
	Total     int    `json:"total"`
}

// Cut says that there may be others whom the caller does not see.
type Cut struct {
	Outside bool `json:"outside"`
}

// The kinds of searches.
const (
	Subjects  = "subject"
	Resources = "resource"
	Actions   = "action"
)

// Find answers a search of a kind (section 8): what is found is allowed when it is asked about
// by itself. Subjects are those the caller may read; resources and actions are those of an
// application that they may read or decide for, or that the subject is themselves in.
func Find(v *seeing.View, kind string, raw []byte) (Found, error) {
	var in Search
	if err := read(raw, &in); err != nil {
		return Found{}, err
	}
	faults := in.faults("", kind)
	limit := mostOnPage
	if in.Page.Limit != nil {
		if limit = *in.Page.Limit; limit < 1 || limit > mostOnPage {
			faults = append(faults, wire.Fault{Place: "/page/limit", Message: "is not from 1 to " + strconv.Itoa(mostOnPage)})
		}
	}
	after, ok := pageAfter(in.Page.Token, kind, &in.Evaluation)
	if !ok {
		faults = append(faults, wire.Fault{Place: "/page/token", Message: "is none that was given for this search: begin again without one"})
	}
	if err := invalid(faults); err != nil {
		return Found{}, err
	}
	results, cut, err := allOf(v, kind, &in.Evaluation)
	if err != nil {
		return Found{}, err
	}
	// From after what the page before ended with, whatever was added or left out since.
	from := sort.Search(len(results), func(i int) bool { return results[i].key() > after })
	to := min(len(results), from+limit)
	out := Found{Results: results[from:to], Page: FoundPage{Count: to - from, Total: len(results)}}
	if to < len(results) {
		out.Page.NextToken = tokenAfter(results[to-1].key(), kind, &in.Evaluation)
	}
	if cut {
		out.Context = &Cut{true}
	}
	return out, nil
}

// key is what results are in order of.
func (r *Result) key() string { return r.Type + "\x00" + r.ID + r.Name }

// allOf are all results of a search in order of their keys.
func allOf(v *seeing.View, kind string, e *Evaluation) (results []Result, cut bool, err error) {
	results = []Result{}
	probe := *e
	if kind == Resources { // asked about one by one
		probe.Resource = &Entity{Type: e.Resource.Type, Properties: e.Resource.Properties, ID: patterns.Root}
	}
	if kind == Subjects {
		probe.Subject = &Entity{Type: TypeNobody}
	}
	q, unknown, err := probe.question()
	if err != nil || unknown {
		return results, false, err
	}
	s := v.Uncut()
	app, known := s.FindApplication(q.Application)
	if !known {
		return results, false, nil
	}
	user, there := s.FindUser(q.User)
	seen := v.Decides(app) || v.ReadsApplication(app)
	may := func(q wire.CheckRequest) bool {
		a, err := questions.CheckQuietly(v, q)
		return err == nil && a
	}
	switch kind {
	case Subjects:
		if !seen {
			return results, false, nil
		}
		switch e.Subject.Type {
		case TypeNobody:
			if may(q) {
				results = append(results, Result{Type: TypeNobody, ID: TypeNobody})
			}
		case TypeUser:
			q.Nobody = false
			for _, id := range mightBe(v, app, q) {
				if v.ReadsUser(id) {
					if q.User = s.User(id).UserName; may(q) {
						results = append(results, Result{Type: TypeUser, ID: q.User})
					}
				}
			}
			cut = !v.Rights().ReadsAllUsers()
		}
	default:
		if !seen && (!there || user != v.Caller.User) || q.User != "" && (!there || !v.Decides(app) && !v.ReadsUser(user) && user != v.Caller.User) {
			return results, false, nil
		}
		if kind == Actions {
			for _, x := range s.Application(app).Actions {
				if q.Action = x.Key; may(q) {
					results = append(results, Result{Name: x.Key})
				}
			}
			break
		}
		if q.Method != "" { // by address nothing is listed: placeholders stand for anything
			return results, false, nil
		}
		for _, r := range s.Resources(app) {
			if q.Path = r.Path; may(q) {
				results = append(results, Result{Type: e.Resource.Type, ID: r.Path})
			}
		}
	}
	sort.Slice(results, func(i, j int) bool { return results[i].key() < results[j].key() })
	return results, cut, nil
}

// mightBe are the users who may be allowed what a question asks: those who hold it, or, where
// everybody is let in, everybody.
func mightBe(v *seeing.View, app fact.ApplicationID, q wire.CheckRequest) (out []fact.UserID) {
	s := v.Uncut()
	if q.Address != "" {
		action, path, ok, err := s.Addressed(app, q.Method, q.Address)
		if err != nil || !ok && s.Application(app).State != fact.StateRehearsal {
			return nil
		}
		q.Action, q.Path = action, path
	}
	if s.Application(app).State == fact.StateRehearsal {
		for u := range s.Users() {
			out = append(out, u.ID)
		}
		return out
	}
	if patterns.CheckPath(q.Path) != nil {
		return nil
	}
	at := v.At
	if q.At != nil {
		at = calendar.At(*q.At)
	}
	for _, h := range query.Holders(s, app, q.Action, q.Path, at) {
		if h.User != 0 {
			out = append(out, h.User)
			continue
		}
		out = out[:0] // it is open to nobody signed in, so to everybody
		for u := range s.Users() {
			out = append(out, u.ID)
		}
		return out
	}
	return out
}

// token is what a page token holds: what the page before ended with, and of which search.
type token struct {
	After string `json:"a"`
	Of    string `json:"of"`
}

func searchDigest(kind string, e *Evaluation) string {
	raw, _ := json.Marshal(e)
	sum := sha256.Sum256(append([]byte(kind+"\x00"), raw...))
	return base64.RawURLEncoding.EncodeToString(sum[:9])
}

func tokenAfter(key, kind string, e *Evaluation) string {
	raw, _ := json.Marshal(token{key, searchDigest(kind, e)})
	return base64.RawURLEncoding.EncodeToString(raw)
}

func pageAfter(text, kind string, e *Evaluation) (after string, ok bool) {
	if text == "" {
		return "", true
	}
	raw, err := base64.RawURLEncoding.DecodeString(strings.TrimSpace(text))
	var t token
	if err != nil || json.Unmarshal(raw, &t) != nil || t.Of != searchDigest(kind, e) {
		return "", false
	}
	return t.After, true
}

// Metadata is the document that says where what is (section 9.1.1).
type Metadata struct {
	DecisionPoint string   `json:"policy_decision_point"`
	Evaluation    string   `json:"access_evaluation_endpoint"`
	Evaluations   string   `json:"access_evaluations_endpoint"`
	Subjects      string   `json:"search_subject_endpoint"`
	Resources     string   `json:"search_resource_endpoint"`
	Actions       string   `json:"search_action_endpoint"`
	Capabilities  []string `json:"capabilities,omitempty"`
}

// Describe is the metadata of a service at an address.
func Describe(base string) Metadata {
	at := base + "/access/v1/"
	return Metadata{DecisionPoint: base, Evaluation: at + "evaluation", Evaluations: at + "evaluations",
		Subjects: at + "search/subject", Resources: at + "search/resource", Actions: at + "search/action"}
}
