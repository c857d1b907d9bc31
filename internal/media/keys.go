package media

// eventKeys are the keypad digits by their event numbers (RFC 4733, 3.2).
const eventKeys = "0123456789*#ABCD"

// keyReader reads keypad digits out of the packets of telephone events. Each digit comes in several packets with one
// RTP time, the last of them three times: it counts once, when its first packet comes.
type keyReader struct {
	at    uint32
	begun bool
}

// read takes a packet; 0: there is no new digit in it.
func (k *keyReader) read(at uint32, payload []byte) byte {
	if len(payload) < 4 || int(payload[0]) >= len(eventKeys) {
		return 0
	}
	if k.begun && int32(at-k.at) <= 0 {
		return 0 // more of the same digit, or of one before
	}
	k.at, k.begun = at, true
	return eventKeys[payload[0]]
}
