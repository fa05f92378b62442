package certs_test

import (
	"bytes"
	"crypto/tls"
	"crypto/x509"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"fanfold/internal/certs"
)

var now = time.Now()

func put(t *testing.T, path string, data []byte) string {
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o700))
	require.NoError(t, os.WriteFile(path, data, 0o600))
	return path
}

func made(t *testing.T, names ...string) certs.Made {
	m, err := certs.Make(names, now, nil, nil)
	require.NoError(t, err)
	return m
}

// A folder of certificates, in both layouts: each name is answered with its own, any other with the
// first; one that is renewed replaces what was read; one that cannot be used leaves it.
func TestAFolderOfCertificates(t *testing.T) {
	dir := t.TempDir()
	_, err := certs.Open(certs.Source{Folder: dir})
	require.ErrorContains(t, err, "there are no certificates in")
	salt, lamp := made(t, "salt.example", "*.salt.example"), made(t, "lamp.example", "127.0.0.1")
	put(t, dir+"/a.crt", salt.Cert)
	put(t, dir+"/a.key", salt.Key)
	put(t, dir+"/lamp.example/fullchain.pem", append(bytes.Clone(lamp.Cert), lamp.Authority...))
	put(t, dir+"/lamp.example/privkey.pem", lamp.Key)
	put(t, dir+"/stray.key", salt.Key)
	k, err := certs.Open(certs.Source{Folder: dir})
	require.NoError(t, err)
	require.Len(t, k.Leaves(), 2)

	l, err := tls.Listen("tcp", "127.0.0.1:0", k.Config())
	require.NoError(t, err)
	defer l.Close()
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() { _ = c.(*tls.Conn).Handshake(); _ = c.Close() }()
		}
	}()
	shown := func(authority []byte, name string) error {
		roots := x509.NewCertPool()
		require.True(t, roots.AppendCertsFromPEM(authority))
		c, err := tls.Dial("tcp", l.Addr().String(), &tls.Config{RootCAs: roots, ServerName: name})
		if err == nil {
			_ = c.Close()
		}
		return err
	}
	require.NoError(t, shown(salt.Authority, "salt.example"))
	require.NoError(t, shown(salt.Authority, "www.salt.example"))
	require.NoError(t, shown(lamp.Authority, "lamp.example"))
	require.NoError(t, shown(lamp.Authority, "127.0.0.1"))
	require.Error(t, shown(salt.Authority, "elsewhere.example"))
	require.Error(t, shown(salt.Authority, "lamp.example"))

	again, err := certs.Make([]string{"lamp.example"}, now, lamp.Authority, lamp.AuthorityKey)
	require.NoError(t, err)
	put(t, dir+"/lamp.example/fullchain.pem", again.Cert)
	require.ErrorContains(t, k.Again(), "lamp.example/fullchain.pem", "its key is another: it is being renewed")
	require.NoError(t, shown(lamp.Authority, "lamp.example"))
	put(t, dir+"/lamp.example/privkey.pem", again.Key)
	require.NoError(t, k.Again())
	require.NoError(t, shown(lamp.Authority, "lamp.example"), "by the same authority")
	require.NotEqual(t, lamp.Cert, again.Cert)

	// As openssl sees it.
	ca := put(t, filepath.Join(t.TempDir(), "ca.pem"), salt.Authority)
	ask := func(args ...string) string {
		cmd := exec.Command("openssl", append([]string{"s_client", "-connect", l.Addr().String(), "-servername", "salt.example", "-verify_hostname", "salt.example", "-CAfile", ca}, args...)...)
		cmd.Stdin = strings.NewReader("")
		out, _ := cmd.CombinedOutput() // it ends with an error when the server hangs up
		return string(out)
	}
	require.Contains(t, ask(), "Verify return code: 0 (ok)")
	require.Contains(t, ask("-tls1_2"), "Verify return code: 0 (ok)")
	require.Contains(t, ask("-tls1_1", "-cipher", "ALL@SECLEVEL=0"), "alert protocol version", "older ones are turned away")
}

// What is made is what openssl calls a good certificate of that authority.
func TestOpensslTakesWhatIsMade(t *testing.T) {
	dir := t.TempDir()
	m := made(t, "salt.example", "192.168.1.20", "::1")
	ca, cert := put(t, dir+"/ca.pem", m.Authority), put(t, dir+"/cert.pem", m.Cert)
	out, err := exec.Command("openssl", "verify", "-x509_strict", "-purpose", "sslserver", "-verify_ip", "192.168.1.20", "-CAfile", ca, cert).CombinedOutput()
	require.NoError(t, err, string(out))
	text, err := exec.Command("openssl", "x509", "-in", cert, "-noout", "-ext", "subjectAltName").Output()
	require.NoError(t, err)
	require.Contains(t, string(text), "DNS:salt.example, IP Address:192.168.1.20, IP Address:0:0:0:0:0:0:0:1")
	require.Error(t, exec.Command("openssl", "verify", "-CAfile", put(t, dir+"/other.pem", made(t, "x").Authority), cert).Run())
}

func TestCertificatesThatCanNotBeUsed(t *testing.T) {
	dir := t.TempDir()
	m, other := made(t, "salt.example"), made(t, "salt.example")
	cert, key := put(t, dir+"/a.pem", m.Cert), put(t, dir+"/b.key", other.Key)
	for says, s := range map[string]certs.Source{
		"go together":                    {Cert: cert},
		"not both":                       {Cert: cert, Key: key, Folder: dir},
		"does not match":                 {Cert: cert, Key: key},
		"no such file":                   {Cert: dir + "/none", Key: key},
		"failed to find any PEM data":    {Cert: put(t, dir+"/text", []byte("salt")), Key: key},
		"there are no certificates in /": {Folder: "/none"},
	} {
		_, err := certs.Open(s)
		require.ErrorContains(t, err, says)
	}
	_, err := certs.Make(nil, now, nil, nil)
	require.ErrorContains(t, err, "names and addresses")
	_, err = certs.Make([]string{"x"}, now, m.Cert, m.Key)
	require.ErrorContains(t, err, "none that this program has made")
	_, err = certs.Make([]string{"x"}, now, []byte("salt"), nil)
	require.ErrorContains(t, err, "not PEM")
	require.False(t, certs.Source{}.Given())
}
