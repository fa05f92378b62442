package e2e_test

import (
	"crypto/tls"
	"crypto/x509"
	"encoding/json"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// certified makes a certificate for this machine's loopback with the program itself, and gives the
// flag that shows it, and the authority.
func (s *server) certified() (authority string) {
	dir := s.t.TempDir()
	out, err := exec.Command(studio.binary, "certificate", "--name", "localhost", "--name", "127.0.0.1", "-o", dir).CombinedOutput()
	require.NoError(s.t, err, string(out))
	s.more = append(s.more, "--tls", dir)
	s.trust = filepath.Join(dir, "authority.pem")
	return s.trust
}

func openssl(t *testing.T, address, authority string) string {
	cmd := exec.Command("openssl", "s_client", "-connect", address, "-verify_ip", "127.0.0.1", "-CAfile", authority)
	cmd.Stdin = strings.NewReader("")
	out, _ := cmd.CombinedOutput() // it ends with an error when the server hangs up
	t.Logf("openssl: %.200s", out)
	return string(out)
}

// A server over TLS, for browsers and hosts: as openssl sees it; the session's cookie is for TLS alone;
// a host dials in by the command that is shown, with its credential in a file; and the doctor finds
// nothing to fix.
func TestAServerOverTLS(t *testing.T) {
	s := prepareServer(t)
	authority := s.certified()
	s.ops = freeAddress(t)
	s.start()
	require.True(t, strings.HasPrefix(s.address, "https://127.0.0.1:"), s.address)
	for _, address := range []string{strings.TrimPrefix(s.address, "https://"), s.rig} {
		require.Contains(t, openssl(t, address, authority), "Verify return code: 0 (ok)")
	}
	plain, err := http.Get(strings.Replace(s.address, "https:", "http:", 1) + "/api/session")
	require.NoError(t, err)
	require.Equal(t, http.StatusBadRequest, plain.StatusCode)
	require.NoError(t, plain.Body.Close())
	again, err := s.client.Post(s.address+"/api/session", "application/json", strings.NewReader(`{"email":"ada@studio.example","password":"a long enough password"}`))
	require.NoError(t, err)
	require.NoError(t, again.Body.Close())
	require.Contains(t, again.Header.Get("Set-Cookie"), "Secure")
	require.Equal(t, 2, again.ProtoMajor, "HTTP/2")

	var made struct{ ID, Command string }
	s.must("POST", "/api/templates", map[string]string{"name": "Salt"}, &made)
	var one struct {
		Template struct{ Machines []struct{ ID string } }
	}
	s.must("POST", "/api/templates/"+made.ID+"/import?take=true", "section,instrument,machine\nWinds,Flute,Birch\n", nil)
	s.must("GET", "/api/templates/"+made.ID, nil, &one)
	s.must("POST", "/api/machines/credential", map[string]any{"template": made.ID, "machine": one.Template.Machines[0].ID, "days": 366}, &made)
	require.Contains(t, made.Command, "--server tls://"+s.rig)
	env, command, ok := strings.Cut(made.Command, " ")
	require.True(t, ok)
	host := exec.Command("sh", "-c", strings.Replace(command, "fanfold host", "exec "+studio.binary+" host --ca "+authority, 1))
	host.Dir, host.Env = t.TempDir(), append(os.Environ(), env)
	var log strings.Builder
	host.Stderr = &log
	require.NoError(t, startTied(host, syscall.SIGKILL))
	here := func() bool {
		var h struct {
			Online      bool
			Credentials []struct{ Ends string }
		}
		s.must("GET", "/api/templates/"+made.ID+"/machines/"+one.Template.Machines[0].ID+"/host", nil, &h)
		return h.Online && len(h.Credentials) == 1 && h.Credentials[0].Ends != ""
	}
	require.Eventually(t, here, patience(), 50*time.Millisecond)
	kept, err := os.ReadFile(filepath.Join(host.Dir, "Birch.credential"))
	require.NoError(t, err)
	require.Equal(t, strings.TrimPrefix(env, "FANFOLD_CREDENTIAL="), strings.TrimSpace(string(kept)))

	var found struct {
		Findings []struct{ Part, State, Says string }
	}
	doctor := exec.Command(studio.binary, append([]string{"doctor", "--json", "--listen", strings.TrimPrefix(s.address, "https://"), "--rig-listen", s.rig, "--ops-listen", s.ops, "--audio", t.TempDir()}, s.more...)...)
	doctor.Env = append(os.Environ(), "DATABASE_URL="+s.db.URL)
	out, err := doctor.Output()
	require.NoError(t, err, string(out))
	require.NoError(t, json.Unmarshal(out, &found))
	says := ""
	for _, f := range found.Findings {
		require.NotEqual(t, "fix", f.State, f.Says)
		says += f.Part + ": " + f.Says + "\n"
	}
	for _, want := range []string{"answers", "its tables are up to date", "is taken by a server that says: ready", "localhost is good until", "audio: it can be written to", "nothing is open to other machines without TLS"} {
		require.Contains(t, says, want)
	}
	require.NoError(t, host.Process.Signal(syscall.SIGTERM))
	require.NoError(t, host.Wait())
	require.NotContains(t, log.String(), strings.TrimSpace(string(kept)), "no secrets in logs")
}

// The program needs nothing of a system but a database: alone in an empty folder that is all it sees,
// as in a container, it serves.
func TestTheProgramAloneServes(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("only root may change what a program sees as the root of all files")
	}
	s := prepareServer(t)
	alone := t.TempDir()
	require.NoError(t, exec.Command("cp", studio.binary, alone+"/fanfold").Run())
	for _, dir := range []string{"/audio", "/tmp"} {
		require.NoError(t, os.Mkdir(alone+dir, 0o777))
	}
	s.certified()
	require.NoError(t, exec.Command("cp", "-r", s.more[1], alone+"/certificates").Run())
	s.more = []string{"--tls", "/certificates"}
	s.audio, s.root = "/audio", alone
	s.start()
	page, err := s.client.Get(s.address + "/")
	require.NoError(t, err)
	text, err := io.ReadAll(page.Body)
	require.NoError(t, err)
	require.NoError(t, page.Body.Close())
	require.Contains(t, string(text), "<title>Fanfold</title>")
	var made struct{ ID string }
	s.must("POST", "/api/templates", map[string]string{"name": "Salt"}, &made)
	s.must("POST", "/api/templates/"+made.ID+"/import?take=true", "section,instrument,machine\nWinds,Flute,Birch\n", nil)
}

// The unit is one that systemd takes, and that leaves the server little to do harm with.
func TestTheUnit(t *testing.T) {
	text, err := os.ReadFile("../../deploy/fanfold.service")
	require.NoError(t, err)
	unit := filepath.Join(t.TempDir(), "fanfold.service")
	require.NoError(t, os.WriteFile(unit, []byte(strings.ReplaceAll(string(text), "/usr/local/bin/fanfold serve", studio.binary+" serve")), 0o600))
	out, err := exec.Command("systemd-analyze", "verify", "--man=no", unit).CombinedOutput()
	require.NoError(t, err, string(out))
	require.NotContains(t, string(out), "fanfold.service", "no warnings")
	out, err = exec.Command("systemd-analyze", "security", "--offline=yes", "--threshold=20", unit).CombinedOutput()
	require.NoError(t, err, string(out))
	// What it starts is a command there is, with flags that there are.
	_, line, ok := strings.Cut(string(text), "ExecStart=/usr/local/bin/fanfold ")
	require.True(t, ok)
	line, _, _ = strings.Cut(line, "\n")
	help := exec.Command(studio.binary, append(strings.Fields(line), "--help")...)
	out, err = help.CombinedOutput()
	require.NoError(t, err, string(out))
	container, err := os.ReadFile("../../deploy/Containerfile")
	require.NoError(t, err)
	_, list, ok := strings.Cut(string(container), "ENTRYPOINT ")
	require.True(t, ok)
	var args []string
	require.NoError(t, json.Unmarshal([]byte(strings.TrimSpace(list)), &args))
	out, err = exec.Command(studio.binary, append(args[1:], "--help")...).CombinedOutput()
	require.NoError(t, err, string(out))
}

// trusting is what a client trusts beside the system.
func trusting(t *testing.T, authority string) *http.Transport {
	out := http.DefaultTransport.(*http.Transport).Clone()
	if authority == "" {
		return out
	}
	data, err := os.ReadFile(authority)
	require.NoError(t, err)
	pool := x509.NewCertPool()
	require.True(t, pool.AppendCertsFromPEM(data))
	out.TLSClientConfig = &tls.Config{RootCAs: pool}
	return out
}
