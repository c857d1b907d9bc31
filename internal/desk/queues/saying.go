package queues

import (
	"fmt"
	"strings"

	"trundo/internal/core/estimate"
)

// usualLanguage is spoken where a route says no other.
const usualLanguage = "en"

// phrases are what the firm says by itself, in one language.
type phrases struct {
	next     string // they are the next
	position string // %d is their place
	wait     string // %s is a time
	minute   string
	minutes  string // %d
	callback string // a callback has been noted
	nothing  string // nothing was found that they asked about
	stands   string // %q what it is called, %s how it stands
}

var said = map[string]phrases{
	"en": {"You are next.", "You are number %d in the queue.", "The wait is about %s.", "one minute", "%d minutes",
		"Thank you. We will call you back, and you keep your place. Goodbye.",
		"We found nothing under that number. Our people will help you.", "%s: %s."},
	"fr": {
		"Vous êtes le prochain.",
		"Vous êtes en position %d.",
		"L’attente est d’environ %s.",
		"une minute",
		"%d minutes",
		"Merci. Nous vous rappellerons, et vous gardez votre place. Au revoir.",
		"Nous n’avons rien trouvé sous ce numéro. Nos conseillers vous aideront.",
		"%s : %s.",
	},
	"de": {
		"Sie sind als Nächster an der Reihe.",
		"Sie sind Nummer %d in der Warteschlange.",
		"Die Wartezeit beträgt etwa %s.",
		"eine Minute",
		"%d Minuten",
		"Danke. Wir rufen Sie zurück, und Sie behalten Ihren Platz. Auf Wiederhören.",
		"Unter dieser Nummer haben wir nichts gefunden. Unsere Mitarbeiter helfen Ihnen.",
		"%s: %s.",
	},
	"es": {
		"Usted es el siguiente.",
		"Usted es el número %d de la cola.",
		"La espera es de unos %s.",
		"un minuto",
		"%d minutos",
		"Gracias. Le devolveremos la llamada y conserva su lugar. Adiós.",
		"No hemos encontrado nada con ese número. Nuestro equipo le ayudará.",
		"%s: %s.",
	},
}

// in are the phrases of a language.
func in(language string) phrases {
	if p, spoken := said[language]; spoken {
		return p
	}
	return said[usualLanguage]
}

// place says where somebody stands and how long it will take, as far as a queue says that and it is sure enough.
func (q *Queue) place(language string, ahead int, e estimate.Wait, sure bool) string {
	p := in(language)
	var parts []string
	switch {
	case q.SayPosition && ahead == 0:
		parts = append(parts, p.next)
	case q.SayPosition:
		parts = append(parts, fmt.Sprintf(p.position, ahead+1))
	}
	if q.SayWait && sure {
		long := p.minute
		if m := e.Minutes(); m > 1 {
			long = fmt.Sprintf(p.minutes, m)
		}
		parts = append(parts, fmt.Sprintf(p.wait, long))
	}
	return strings.Join(parts, " ")
}

// comfort is the n-th text between, in a language; "" without one.
func (q *Queue) comfort(language string, n int) string {
	if len(q.Comfort) == 0 {
		return ""
	}
	texts := q.Comfort[n%len(q.Comfort)]
	if texts[language] != "" {
		return texts[language]
	}
	return texts[usualLanguage]
}
