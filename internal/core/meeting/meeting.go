// Package meeting makes addresses of rooms in the program in which the firm meets customers face to face.
//
// It must not know that program, nor who is invited.
package meeting

import (
	"errors"
	"net/url"
	"strings"
)

// place is where the name of a room goes.
const place = "{room}"

// Check tells whether a template makes addresses: of https, with {room} once, behind the host. Empty is none, and no
// fault.
func Check(template string) error {
	if template == "" {
		return nil
	}
	if strings.Count(template, place) != 1 {
		return errors.New("write {room} once, where the name of the room goes")
	}
	u, err := url.Parse(Address(template, "a1"))
	if err != nil || u.Scheme != "https" || u.Host == "" || u.User != nil || u.Opaque != "" {
		return errors.New("an address begins with https:// and the name of a host, such as https://meet.example.com/{room}")
	}
	if strings.Contains(template[:len("https://")+len(u.Host)], place) || strings.ContainsAny(template, " \t\r\n") {
		return errors.New("{room} goes behind the name of the host, without a space")
	}
	return nil
}

// Address is that of a room, "" without a template. The name is of letters, digits and hyphens, and nobody can guess it.
func Address(template, room string) string { return strings.ReplaceAll(template, place, room) }

// In tells whether a text has the address of a room already.
func In(text, template string) bool {
	before, _, there := strings.Cut(template, place)
	return there && strings.Contains(text, before)
}
