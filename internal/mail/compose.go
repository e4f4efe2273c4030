package mail

import (
	"bytes"
	"embed"
	"fmt"
	htmltemplate "html/template"
	"path"
	"strings"
	"text/template"
)

// The words of mails: words/LANGUAGE/KIND.txt.
//
//go:embed words
var words embed.FS

// page is what all mails look like as HTML.
//
//go:embed page.html
var page string

var pageOf = htmltemplate.Must(htmltemplate.New("page").Parse(page))

// texts are the templates by language and kind.
var texts = func() *template.Template {
	all := template.New("").Option("missingkey=error")
	languages, err := words.ReadDir("words")
	if err != nil {
		panic(err) // built in
	}
	for _, language := range languages {
		files, _ := words.ReadDir(path.Join("words", language.Name()))
		for _, f := range files {
			raw, err := words.ReadFile(path.Join("words", language.Name(), f.Name()))
			if err != nil {
				panic(err)
			}
			template.Must(all.New(path.Join(language.Name(), strings.TrimSuffix(f.Name(), ".txt"))).Parse(string(raw)))
		}
	}
	return all
}()

// Default is the language in which there are words for everything.
const Default = "en"

// Compose writes a mail of a kind in a language, or in the default one where there are no
// words in that. Data are what its words name; a paragraph that is an address alone becomes a
// button, and a line that ends with one below the address of data's Base becomes a link. It fails
// for a kind that has no words.
func Compose(language, kind string, data map[string]any) (subject, text, html string, err error) {
	t := texts.Lookup(language + "/" + kind)
	if t == nil {
		language = Default
		t = texts.Lookup(language + "/" + kind)
	}
	if t == nil {
		return "", "", "", fmt.Errorf("there are no words for a mail of kind %s", kind)
	}
	var out bytes.Buffer
	if err := t.Execute(&out, data); err != nil {
		return "", "", "", err
	}
	subject, text, _ = strings.Cut(out.String(), "\n")
	text = strings.TrimSpace(text) + "\n"
	type line struct{ Text, Link string }
	type paragraph struct {
		Link  string
		Lines []line
	}
	base, _ := data["Base"].(string)
	var body []paragraph
	for part := range strings.SplitSeq(text, "\n\n") {
		part = strings.TrimSpace(part)
		if strings.HasPrefix(part, "http://") || strings.HasPrefix(part, "https://") {
			body = append(body, paragraph{Link: part})
			continue
		}
		var lines []line
		for l := range strings.SplitSeq(part, "\n") {
			x := line{Text: l}
			// Only what leads to our own pages: the rest of a mail may be of anybody.
			if words, address, ok := strings.Cut(strings.TrimSpace(l), ": "+base+"/"); ok && base != "" && !strings.ContainsAny(address, " \t") {
				x = line{words, base + "/" + address}
			}
			lines = append(lines, x)
		}
		body = append(body, paragraph{Lines: lines})
	}
	var shown bytes.Buffer
	err = pageOf.Execute(&shown, map[string]any{"Language": language, "Subject": subject, "Organisation": data["Organisation"], "Body": body, "Press": data["Press"]})
	return strings.TrimSpace(subject), text, shown.String(), err
}
