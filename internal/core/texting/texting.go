// Package texting holds the rules of text messages: how many parts one takes, what somebody means who answers STOP, and
// when one may be sent.
//
// It must not know the network, the database or who writes. The alphabet is that of 3GPP TS 23.038 (GSM 7 bit), the
// lengths of parts those of 3GPP TS 23.040. The words by which one opts out are those of the trade's messaging
// principles in North America, with their French ones; they are data of the firm, and no legal advice.
package texting

import (
	"strings"
	"time"
	"unicode/utf16"

	"trundo/internal/core/callable"
)

// MaxParts is how many parts a message may take.
const MaxParts = 10

// basic and extended are the characters of the GSM alphabet; an extended one takes the room of two.
const (
	basic = "@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞÆæßÉ !\"#¤%&'()*+,-./0123456789:;<=>?¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿" +
		"abcdefghijklmnopqrstuvwxyzäöñüà"
	extended = "\f^{}\\[~]|€"
)

// Parts tells how many parts a text takes, and how many more characters fit into the last one. Whole is whether every
// character is of the GSM alphabet; otherwise each takes 16 bits, and an emoji mostly two of them. One part holds 160
// (70) characters, each of several 153 (67).
func Parts(text string) (parts, left int, whole bool) {
	length := 0
	whole = true
	for _, r := range text {
		switch {
		case strings.ContainsRune(basic, r):
			length++
		case strings.ContainsRune(extended, r):
			length += 2
		default:
			whole = false
		}
	}
	one, each := 160, 153
	if !whole {
		length, one, each = len(utf16.Encode([]rune(text))), 70, 67
	}
	if length <= one {
		return 1, one - length, whole
	}
	parts = (length + each - 1) / each
	return parts, parts*each - length, whole
}

// Wish is what somebody means who answers with a single word.
type Wish string

// The wishes.
const (
	None  Wish = ""
	Stop  Wish = "stop"  // no more messages
	Start Wish = "start" // messages again
)

var wishes = map[string]Wish{"STOP": Stop, "STOPALL": Stop, "STOP ALL": Stop, "UNSUBSCRIBE": Stop, "CANCEL": Stop,
	"END": Stop, "QUIT": Stop, "OPTOUT": Stop, "OPT OUT": Stop,
	"ARRET": Stop, "ARRÊT": Stop, "START": Start, "UNSTOP": Start, "OPTIN": Start, "OPT IN": Start}

// Read tells what a message wishes. Only a message that is nothing but the word counts; case, spaces and a point at its
// end do not.
func Read(text string) Wish {
	word := strings.ToUpper(strings.Join(strings.Fields(text), " "))
	return wishes[strings.Trim(word, ".!\"'“” ")]
}

// JustWritten is for how long after a message of theirs an answer goes out at once, whatever the hour: it is they who
// began.
const JustWritten = 30 * time.Minute

// When is the first time from now on at which a message may be sent: within the hours in every zone in which the number
// may be.
func When(now time.Time, zones []string, hours callable.Hours) time.Time {
	at := now
	for range 4 { // zones that share no hour of the day are none on this planet with hours as long as these
		v := callable.Check(callable.Subject{Zones: zones}, hours, at)
		if v.InHours {
			return at
		}
		at = v.Changes
	}
	return at
}
