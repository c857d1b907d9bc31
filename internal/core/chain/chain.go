// Package chain seals the entries of a trail one to the next, so that none can be changed, left out, put in or moved
// without its being found.
//
// It must not know what the entries say, or where they are kept.
package chain

import (
	"crypto/sha256"
	"encoding/binary"
	"errors"
	"fmt"
)

// Hash is a SHA-256 (FIPS 180-4).
type Hash [sha256.Size]byte

// Text is the hash of one part of an entry. An entry is sealed with the hashes of its texts, so that a text that has to
// be erased can be, while the chain still holds.
func Text(text string) Hash { return sha256.Sum256([]byte(text)) }

// Link seals the n-th entry, made of parts, to the hash of the one before it. Each part goes in with its length, so
// that
// nothing can move from one to the next.
func Link(before Hash, n int64, parts ...string) Hash {
	h := sha256.New()
	h.Write(before[:])
	size := func(n int64) {
		var b [8]byte
		binary.BigEndian.PutUint64(b[:], uint64(n))
		h.Write(b[:])
	}
	size(n)
	for _, p := range parts {
		size(int64(len(p)))
		h.Write([]byte(p))
	}
	return Hash(h.Sum(nil))
}

// Errors of Check, each with the number of the entry.
var (
	ErrChanged = errors.New("does not fit its seal: it was changed, or put there")
	ErrMissing = errors.New("is missing")
)

// Checker goes along a chain.
type Checker struct {
	n    int64
	hash Hash
}

// From begins behind the n-th entry, whose hash is known; 0 and no hash at the beginning.
func From(n int64, hash Hash) *Checker { return &Checker{n, hash} }

// Check goes on to the n-th entry. Errors: ErrMissing, ErrChanged.
func (c *Checker) Check(n int64, sealed Hash, parts ...string) error {
	if n != c.n+1 {
		return fmt.Errorf("entry %d %w", c.n+1, ErrMissing)
	}
	if Link(c.hash, n, parts...) != sealed {
		return fmt.Errorf("entry %d %w", n, ErrChanged)
	}
	c.n, c.hash = n, sealed
	return nil
}

// Head is the number and the hash of the entry that was looked at last.
func (c *Checker) Head() (int64, Hash) { return c.n, c.hash }
