package rig

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"strings"
)

// NewSecret makes a host's secret, 32 random bytes.
func NewSecret() string {
	var b [32]byte
	_, _ = rand.Read(b[:]) // never fails: see crypto/rand
	return base64.RawURLEncoding.EncodeToString(b[:])
}

// Hash is what is stored of a secret. A plain hash is enough, since the
// secret has 256 random bits.
func Hash(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// Token joins a credential's id and secret to what a host shows.
func Token(id, secret string) string { return id + "." + secret }

// SplitToken takes a token apart.
func SplitToken(token string) (id, secret string, err error) {
	id, secret, ok := strings.Cut(token, ".")
	if !ok || id == "" || secret == "" {
		return "", "", fmt.Errorf("the credential is not of the form ID.SECRET; copy it whole from Seating, add a machine")
	}
	return id, secret, nil
}
