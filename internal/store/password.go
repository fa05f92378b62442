package store

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"fmt"

	"golang.org/x/crypto/argon2"
)

// The cost of a password: RFC 9106, section 4, second recommended option.
const (
	argonTime    = 3
	argonMemory  = 64 * 1024 // KiB
	argonThreads = 4
	argonKey     = 32
)

// HashPassword hashes a password with argon2id, in the usual encoded form.
func HashPassword(password string) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails: see crypto/rand
	key := argon2.IDKey([]byte(password), salt, argonTime, argonMemory, argonThreads, argonKey)
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, argonMemory, argonTime, argonThreads,
		base64.RawStdEncoding.EncodeToString(salt), base64.RawStdEncoding.EncodeToString(key))
}

// CheckPassword compares a password with its hash. An empty hash takes as
// long and fails, so that nobody learns which accounts exist.
func CheckPassword(hash, password string) bool {
	if hash == "" {
		argon2.IDKey([]byte(password), make([]byte, 16), argonTime, argonMemory, argonThreads, argonKey)
		return false
	}
	var version int
	var memory, time uint32
	var threads uint8
	var rest string
	if _, err := fmt.Sscanf(hash, "$argon2id$v=%d$m=%d,t=%d,p=%d$%s", &version, &memory, &time, &threads, &rest); err != nil || len(rest) < 23 {
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(rest[:22])
	if err != nil {
		return false
	}
	want, err := base64.RawStdEncoding.DecodeString(rest[23:])
	if err != nil || len(want) == 0 {
		return false
	}
	return subtle.ConstantTimeCompare(want, argon2.IDKey([]byte(password), salt, time, memory, threads, uint32(len(want)))) == 1
}
