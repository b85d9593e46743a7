package merchant_test

import (
	"net/http"
	"net/url"
	"strings"

	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"
)

// form reads what a browser would send of a page's form, by its id.
func (b *browser) form(path, id string) url.Values {
	b.t.Helper()
	status, body := b.get(path)
	require.Equal(b.t, http.StatusOK, status, path)
	return formIn(b, body, id)
}

func formIn(b *browser, body, id string) url.Values {
	b.t.Helper()
	doc, err := html.Parse(strings.NewReader(body))
	require.NoError(b.t, err)
	form := find(doc, func(n *html.Node) bool { return n.Data == "form" && attr(n, "id") == id })
	require.NotNil(b.t, form, "no form %s", id)
	return sentBy(form)
}

// sentBy is what a browser would send of a form.
func sentBy(form *html.Node) url.Values {
	out := url.Values{}
	walk(form, func(n *html.Node) {
		name := attr(n, "name")
		if name == "" {
			return
		}
		switch n.Data {
		case "input":
			if t := attr(n, "type"); (t == "checkbox" || t == "radio") && !has(n, "checked") || attr(n, "role") == "combobox" {
				return
			}
			out.Add(name, attr(n, "value"))
		case "select":
			chosen := find(n, func(o *html.Node) bool { return o.Data == "option" && has(o, "selected") })
			if chosen == nil {
				chosen = find(n, func(o *html.Node) bool { return o.Data == "option" })
			}
			if has(chosen, "value") {
				out.Add(name, attr(chosen, "value"))
			} else {
				out.Add(name, strings.TrimSpace(chosen.FirstChild.Data))
			}
		case "textarea":
			out.Add(name, textOf(n))
		}
	})
	return out
}

// textOf is the text of an element as one reads it: runs of white space are one space.
func textOf(n *html.Node) string {
	var b strings.Builder
	var add func(*html.Node)
	add = func(x *html.Node) {
		if x.Type == html.TextNode {
			b.WriteString(x.Data)
		}
		for c := x.FirstChild; c != nil; c = c.NextSibling {
			add(c)
		}
	}
	add(n)
	return b.String()
}

// walk visits every element, but for what templates hold.
func walk(n *html.Node, do func(*html.Node)) {
	if n.Type == html.ElementNode {
		if n.Data == "template" {
			return
		}
		do(n)
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		walk(c, do)
	}
}

func find(n *html.Node, is func(*html.Node) bool) (found *html.Node) {
	walk(n, func(x *html.Node) {
		if found == nil && is(x) {
			found = x
		}
	})
	return found
}

func attr(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

func has(n *html.Node, name string) bool {
	for _, a := range n.Attr {
		if a.Key == name {
			return true
		}
	}
	return false
}
