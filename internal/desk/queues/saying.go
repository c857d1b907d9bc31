package queues

import (
	"fmt"
	"strings"
	"time"

	"trundo/internal/core/estimate"
	"trundo/internal/core/route"
)

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
	offer    string // 1 keeps the place, 2 chooses a time
	askTime  string
	again    string   // nobody calls at the time that was typed
	at       string   // a callback has been noted: %s the day, %s the time
	days     []string // today, tomorrow, then Sunday to Saturday
	clock    string   // a layout of package time
}

var said = map[string]phrases{
	"en": {"You are next.", "You are number %d in the queue.", "The wait is about %s.", "one minute", "%d minutes",
		"Thank you. We will call you back, and you keep your place. Goodbye.",
		"We found nothing under that number. Our people will help you.", "%s: %s.",
		"To be called back when it is your turn, press 1. To choose a time, press 2.",
		"Type the time as four digits, such as 1 4 3 0 for half past two in the afternoon.",
		"We cannot call you at that time. Please type another one, as four digits.",
		"Thank you. We will call you %s at %s. Goodbye.",
		[]string{
			"today", "tomorrow", "on Sunday", "on Monday", "on Tuesday", "on Wednesday", "on Thursday", "on Friday",
			"on Saturday",
		},
		"3:04 PM"},
	"fr": {
		"Vous êtes le prochain.",
		"Vous êtes en position %d.",
		"L’attente est d’environ %s.",
		"une minute",
		"%d minutes",
		"Merci. Nous vous rappellerons, et vous gardez votre place. Au revoir.",
		"Nous n’avons rien trouvé sous ce numéro. Nos conseillers vous aideront.",
		"%s : %s.",
		"Pour être rappelé à votre tour, tapez 1. Pour choisir une heure, tapez 2.",
		"Tapez l’heure en quatre chiffres, par exemple 1 4 3 0 pour quatorze heures trente.",
		"Nous ne pouvons pas vous appeler à cette heure. Tapez-en une autre, en quatre chiffres.",
		"Merci. Nous vous appellerons %s à %s. Au revoir.",
		[]string{"aujourd’hui", "demain", "dimanche", "lundi", "mardi", "mercredi", "jeudi", "vendredi", "samedi"},
		"15 h 04",
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
		"Wenn wir Sie zurückrufen sollen, sobald Sie an der Reihe sind, drücken Sie die 1. Für eine Uhrzeit drücken Sie die 2.",
		"Tippen Sie die Uhrzeit mit vier Ziffern, etwa 1 4 3 0 für vierzehn Uhr dreißig.",
		"Um diese Zeit können wir nicht anrufen. Bitte tippen Sie eine andere, mit vier Ziffern.",
		"Danke. Wir rufen Sie %s um %s Uhr an. Auf Wiederhören.",
		[]string{
			"heute", "morgen", "am Sonntag", "am Montag", "am Dienstag", "am Mittwoch", "am Donnerstag", "am Freitag",
			"am Samstag",
		},
		"15:04",
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
		"Para que le llamemos cuando llegue su turno, pulse 1. Para elegir una hora, pulse 2.",
		"Teclee la hora con cuatro cifras, por ejemplo 1 4 3 0 para las dos y media de la tarde.",
		"A esa hora no podemos llamarle. Teclee otra, con cuatro cifras.",
		"Gracias. Le llamaremos %s a las %s. Adiós.",
		[]string{
			"hoy", "mañana", "el domingo", "el lunes", "el martes", "el miércoles", "el jueves", "el viernes",
			"el sábado",
		},
		"15:04",
	},
}

// in are the phrases of a language.
func in(language string) phrases {
	if p, spoken := said[language]; spoken {
		return p
	}
	return said[route.UsualLanguage]
}

// calledAt says that somebody will be called at a time, on the clock of now's zone.
func (p phrases) calledAt(at, now time.Time) string {
	at = at.In(now.Location())
	day := p.days[2+int(at.Weekday())]
	for n, name := range p.days[:2] {
		if at.Format(time.DateOnly) == now.AddDate(0, 0, n).Format(time.DateOnly) {
			day = name
		}
	}
	return fmt.Sprintf(p.at, day, at.Format(p.clock))
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
	return route.Said(q.Comfort[n%len(q.Comfort)], language)
}
