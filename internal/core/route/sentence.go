package route

import (
	"cmp"
	"fmt"
	"strings"

	"trundo/internal/core/routing"
)

// Names say how what a route names is called.
type Names struct {
	People map[string]string
	Queues map[string]string
	Routes map[string]string
	Number func(string) string // as it is read
	Filter func(Test) string   // a filter in words
}

// Line is a line of a route as it is read.
type Line struct {
	Step  string // id
	Depth int
	Text  string
	Lead  bool   // it says when the lines beneath it are carried out
	Key   string // of a lead: the key, "else", or "" where the test of the step itself leads
}

// Outline is a route as it is read from top to bottom.
func (r Route) Outline(n Names) []Line {
	language := ""
	if len(r.Languages) > 0 {
		language = r.Languages[0]
	}
	return outline(nil, r.Steps, 0, n, language)
}

func outline(lines []Line, steps []Step, depth int, n Names, language string) []Line {
	for i := range steps {
		s := &steps[i]
		lines = append(lines, Line{Step: s.ID, Depth: depth, Text: s.Sentence(n, language), Lead: s.Do == When})
		for j := range s.Options {
			o := &s.Options[j]
			lines = append(lines, Line{Step: s.ID, Depth: depth + 1, Text: o.If(s), Lead: true, Key: o.Key})
			lines = outline(lines, o.Steps, depth+2, n, language)
		}
		lines = outline(lines, s.Steps, depth+1, n, language)
		if other := s.Otherwise(); other != "" && len(s.Else) > 0 {
			at := depth + 1
			if s.Do == When {
				at = depth
			}
			lines = append(lines, Line{Step: s.ID, Depth: at, Text: other, Lead: true, Key: "else"})
			lines = outline(lines, s.Else, at+1, n, language)
		}
	}
	return lines
}

// Sentence says a step in plain words, as an instruction to a receptionist.
func (s *Step) Sentence(n Names, language string) string {
	quoted := s.quoted(language)
	switch s.Do {
	case Say:
		return "Say " + quoted + "."
	case Menu:
		return "Ask for a key: " + quoted + "."
	case Digits:
		return fmt.Sprintf("Ask for %s: %s.", cmp.Or(s.Name, "digits"), quoted)
	case When:
		return "If " + s.Test.Words(n) + ":"
	case Language:
		return "Speak " + LanguageNames[s.Language] + " from here on."
	case Owner:
		return fmt.Sprintf("Ring whoever owns the caller’s record for %s.", secondsText(s.seconds()))
	case Ring:
		how := "one after the other, "
		if s.All {
			how = "all at once, "
		}
		if len(s.People) < 2 {
			how = ""
		}
		return fmt.Sprintf("Ring %s %s%s.", cmp.Or(listed(s.People, n.People), "nobody"), how,
			map[bool]string{true: "for ", false: "each for "}[s.All || len(s.People) < 2]+secondsText(s.seconds()))
	case Queue:
		first := ""
		switch {
		case s.Priority > 0:
			first = fmt.Sprintf(", with priority %+d", s.Priority)
		case s.Priority < 0:
			first = fmt.Sprintf(", with priority −%d", -s.Priority)
		}
		return "Let them wait in " + named(n.Queues, s.Queue, "a queue") + first + "."
	case Callback:
		where, times := "", ": they keep their place in the queue"
		if s.Queue != "" {
			where, times = " in "+named(n.Queues, s.Queue, "a queue"), ""
		}
		if s.Times {
			times = ": they keep their place, or choose a time"
		}
		return "Take a callback" + where + times + "."
	case Survey:
		return "Ask what they thought of it."
	case Voicemail:
		if s.User != "" {
			return "Take a voicemail for " + named(n.People, s.User, "somebody") + "."
		}
		return "Take a voicemail."
	case Tell:
		return map[string]string{TellHours: "Say when we are open.", TellCase: "Say how their case stands.",
			TellOrder: "Say how their order stands."}[s.What]
	case Another:
		return "Continue with the route " + named(n.Routes, s.Route, "…") + "."
	case Outside:
		number := s.Number
		if n.Number != nil {
			number = n.Number(s.Number)
		}
		return fmt.Sprintf("Ring the outside number %s for %s.", cmp.Or(number, "…"), secondsText(s.seconds()))
	case Again:
		return "Ask again."
	case End:
		return "Hang up."
	}
	return "Do nothing."
}

func (s *Step) quoted(language string) string {
	switch {
	case s.Sound != "":
		return "a recording"
	case s.Texts[language] != "":
		return "“" + strings.TrimRight(s.Texts[language], ".") + "”"
	}
	return "“…”"
}

// Otherwise says in which case the steps after else are carried out.
func (s *Step) Otherwise() string {
	switch s.Do {
	case When:
		return "Otherwise:"
	case Menu:
		return "If nothing fits:"
	case Digits:
		return "If they press nothing:"
	}
	return ""
}

// If says when the steps of an option are carried out.
func (o Option) If(s *Step) string {
	if s.Do == Queue {
		return "If they press " + o.Key + " while waiting:"
	}
	return "If they press " + o.Key + ":"
}

// Words say a test as what follows “if”.
func (t *Test) Words(n Names) string {
	if t == nil {
		return "…"
	}
	is := func(yes, no string) string {
		if t.Not {
			return no
		}
		return yes
	}
	switch t.Is {
	case Open:
		if t.Hours != nil {
			hours := strings.ReplaceAll(strings.TrimSpace(routing.SpansText(t.Hours.Spans)), "\n", ", ")
			return is("it is ", "it is not ") + cmp.Or(hours, "any time")
		}
		return is("the line is open", "the line is closed")
	case DayOff:
		return is("it is a holiday", "it is no holiday")
	case Known:
		return is("we know the caller", "we do not know the caller")
	case Owned:
		return is("the caller has an owner", "the caller has no owner")
	case OwnerFree:
		return is("the caller’s owner is free", "the caller’s owner is not free")
	case OfKind:
		return is("the caller is a ", "the caller is not a ") + cmp.Or(t.Value, "…")
	case OpenCase:
		return is("the caller has an open case", "the caller has no open case")
	case OpenDeal:
		return is("the caller has an open deal", "the caller has no open deal")
	case Unreturned:
		return is("nobody has called them back yet", "we owe them no call")
	case Promised:
		return is("we have promised them something", "we have promised them nothing")
	case Dissatisfied:
		return is("they would not recommend us", "they have not said that they would not recommend us")
	case Speaks:
		return is("the caller speaks ", "the caller does not speak ") + cmp.Or(LanguageNames[t.Value], "…")
	case Pressed:
		return cmp.Or(t.Name, "…") + is(" is ", " is not ") + cmp.Or(t.Value, "…")
	case Fits:
		if n.Filter != nil && t.Filter != nil {
			return is("", "not: ") + n.Filter(*t)
		}
	}
	return "…"
}

func named(names map[string]string, id, without string) string {
	if name := names[id]; name != "" {
		return "“" + name + "”"
	}
	return without
}

func listed(ids []string, names map[string]string) string {
	all := make([]string, 0, len(ids))
	for _, id := range ids {
		all = append(all, cmp.Or(names[id], "somebody who left"))
	}
	if len(all) > 1 {
		return strings.Join(all[:len(all)-1], ", ") + " and " + all[len(all)-1]
	}
	return strings.Join(all, "")
}

func secondsText(s int) string {
	if s == 1 {
		return "1 second"
	}
	return fmt.Sprintf("%d seconds", s)
}
