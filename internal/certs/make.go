package certs

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"math/big"
	"net"
	"time"
)

// How long what is made here is good. Browsers refuse certificates of servers beyond 825 days.
const (
	authorityDays = 3650
	serverDays    = 397
)

// Made is a certificate for a server and the authority that signed it, in PEM.
type Made struct {
	Authority, AuthorityKey []byte // machines and browsers trust the first; the second signs the next one
	Cert, Key               []byte // of the server
}

// Make makes a certificate for a server under some names and addresses, signed by an authority of its
// own, or by one that was made before where it is given. now is when it begins.
func Make(names []string, now time.Time, authority, authorityKey []byte) (Made, error) {
	if len(names) == 0 {
		return Made{}, errors.New("say under which names and addresses the server is reached")
	}
	out := Made{Authority: authority, AuthorityKey: authorityKey}
	if authority == nil {
		var err error
		key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
		if err != nil {
			return out, fmt.Errorf("make a key: %w", err)
		}
		own := &x509.Certificate{
			SerialNumber: serial(), Subject: pkix.Name{CommonName: "Fanfold authority of " + names[0]}, NotBefore: now.Add(-time.Hour), NotAfter: now.AddDate(0, 0, authorityDays),
			IsCA: true, BasicConstraintsValid: true, MaxPathLenZero: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign,
		}
		if out.Authority, out.AuthorityKey, err = signed(own, own, key, key); err != nil {
			return out, err
		}
	}
	ca, caKey, err := readPair(out.Authority, out.AuthorityKey)
	if err != nil {
		return out, err
	}
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return out, fmt.Errorf("make a key: %w", err)
	}
	leaf := &x509.Certificate{
		SerialNumber: serial(), Subject: pkix.Name{CommonName: names[0]}, NotBefore: now.Add(-time.Hour), NotAfter: now.AddDate(0, 0, serverDays),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	for _, name := range names {
		if ip := net.ParseIP(name); ip != nil {
			leaf.IPAddresses = append(leaf.IPAddresses, ip)
		} else {
			leaf.DNSNames = append(leaf.DNSNames, name)
		}
	}
	out.Cert, out.Key, err = signed(leaf, ca, key, caKey)
	return out, err
}

func serial() *big.Int {
	n, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 127))
	if err != nil {
		panic(err) // it never fails: see crypto/rand
	}
	return n
}

// signed writes a certificate and its key.
func signed(c, by *x509.Certificate, key, byKey *ecdsa.PrivateKey) (cert, private []byte, err error) {
	der, err := x509.CreateCertificate(rand.Reader, c, by, &key.PublicKey, byKey)
	if err != nil {
		return nil, nil, fmt.Errorf("sign a certificate: %w", err)
	}
	text, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return nil, nil, fmt.Errorf("write a key: %w", err)
	}
	return pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: text}), nil
}

func readPair(cert, key []byte) (*x509.Certificate, *ecdsa.PrivateKey, error) {
	c, _ := pem.Decode(cert)
	k, _ := pem.Decode(key)
	if c == nil || k == nil {
		return nil, nil, errors.New("the authority cannot be read: it is not PEM")
	}
	ca, err := x509.ParseCertificate(c.Bytes)
	if err != nil {
		return nil, nil, fmt.Errorf("the authority cannot be read: %w", err)
	}
	private, err := x509.ParsePKCS8PrivateKey(k.Bytes)
	if err != nil {
		return nil, nil, fmt.Errorf("the authority's key cannot be read: %w", err)
	}
	ec, ok := private.(*ecdsa.PrivateKey)
	if !ok || !ca.IsCA {
		return nil, nil, errors.New("the authority is none that this program has made")
	}
	return ca, ec, nil
}
