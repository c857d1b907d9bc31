package totp_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"trundo/internal/core/totp"
)

// The secret of RFC 6238, appendix B, for SHA-1: the ASCII text 12345678901234567890.
var secret = totp.Secret([]byte("12345678901234567890"))

func TestCodesOfTheStandard(t *testing.T) {
	assert.Equal(t, "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ", secret)
	// The last six of the eight digits in its table.
	for at, want := range map[int64]string{59: "287082", 1111111109: "081804", 1111111111: "050471", 1234567890: "005924",
		2000000000: "279037", 20000000000: "353130"} {
		code, err := totp.Code(secret, totp.StepAt(time.Unix(at, 0)))
		require.NoError(t, err)
		assert.Equal(t, want, code)
		step, ok := totp.Check(secret, want, time.Unix(at, 0), 0)
		assert.True(t, ok)
		assert.Equal(t, at/30, step)
	}
}

func TestACodeIsGoodOnceAndForAWhile(t *testing.T) {
	at := time.Unix(1234567890, 0) // step 41152263, which begins at this very second
	step := totp.StepAt(at)
	for _, x := range []struct {
		off  time.Duration // by how much the server's clock is after the telephone's
		used int64
		ok   bool
	}{
		{0, 0, true}, {29 * time.Second, 0, true}, {40 * time.Second, 0, true}, {-40 * time.Second, 0, true},
		{89 * time.Second, 0, true}, {90 * time.Second, 0, false}, {-60 * time.Second, 0, true}, {-61 * time.Second, 0, false},
		{0, step - 1, true}, {0, step, false}, {0, step + 1, false},
	} {
		_, ok := totp.Check(secret, " 005 924 ", at.Add(x.off), x.used)
		assert.Equal(t, x.ok, ok, "%s off, used %d", x.off, x.used)
	}
	for _, bad := range []string{"", "5924", "005925", "0059240", "００５９２４"} {
		_, ok := totp.Check(secret, bad, at, 0)
		assert.False(t, ok, bad)
	}
	_, ok := totp.Check("not base32!", "005924", at, 0)
	assert.False(t, ok)
}

func TestRecoveryCodesAreTypedAnyhow(t *testing.T) {
	code := totp.Recovery([]byte("0123456789"))
	assert.Equal(t, "gayt-emzu-gu3d-oobz", code)
	for _, typed := range []string{code, " GAYT EMZU GU3D OOBZ ", "gaytemzugu3doobz"} {
		assert.Equal(t, "gaytemzugu3doobz", totp.Plain(typed), typed)
	}
	for _, none := range []string{"", "005924", "gayt-emzu-gu3d-oob", "gayt-emzu-gu3d-oobzz"} {
		assert.Empty(t, totp.Plain(none), none)
	}
}

func TestAddressNamesTheFirmAndTheLogin(t *testing.T) {
	assert.Equal(t, "otpauth://totp/Lindenfall%20Cisterns:ines?secret=ABC&issuer=Lindenfall+Cisterns&period=30&digits=6&algorithm=SHA1",
		totp.Address("ABC", "Lindenfall Cisterns", "ines"))
	assert.Equal(t, "GEZD GNBV GY3T QOJQ GEZD GNBV GY3T QOJQ", totp.Grouped(secret))
}

func ExampleCheck() {
	secret := totp.Secret([]byte("12345678901234567890"))
	step, ok := totp.Check(secret, "287082", time.Unix(59, 0), 0)
	fmt.Println(step, ok)
	_, again := totp.Check(secret, "287082", time.Unix(59, 0), step)
	fmt.Println(again)
	// Output:
	// 1 true
	// false
}
