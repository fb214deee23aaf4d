package cli_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"testing"
	"time"
)

// browser is a headless Chromium, driven by the W3C WebDriver protocol.
type browser struct {
	t       *testing.T
	session string // its address
}

// openBrowser starts one; the test is skipped where there is none.
func openBrowser(t *testing.T) browser {
	t.Helper()
	driver, err := exec.LookPath("chromedriver")
	if err != nil {
		t.Skip("there is no chromedriver; Debian has it as chromium-driver")
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	port := listener.Addr().(*net.TCPAddr).Port
	_ = listener.Close()
	command := exec.Command(driver, fmt.Sprintf("--port=%d", port))
	if err := command.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = command.Process.Kill()
		_ = command.Wait()
	})
	b := browser{t: t, session: fmt.Sprintf("http://127.0.0.1:%d/session", port)}
	b.waitForDriver(port)
	started := decode[struct {
		SessionID string `json:"sessionId"`
	}](t, string(b.call(http.MethodPost, "",
		map[string]any{"capabilities": map[string]any{"alwaysMatch": map[string]any{
			"goog:loggingPrefs": map[string]string{"browser": "ALL", "performance": "ALL"},
			"goog:chromeOptions": map[string]any{"args": []string{
				"--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
				"--disable-background-networking",
				"--disable-component-update", "--disable-sync", "--window-size=1280,800",
			}},
		}}})))
	b.session += "/" + started.SessionID
	t.Cleanup(func() { b.call(http.MethodDelete, "", nil) })
	return b
}

func (b browser) waitForDriver(port int) {
	b.t.Helper()
	for range 100 {
		connection, err := net.Dial("tcp", fmt.Sprintf("127.0.0.1:%d", port))
		if err == nil {
			_ = connection.Close()
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	b.t.Fatal("chromedriver does not listen")
}

// call sends a command and gives its value.
func (b browser) call(method, path string, body any) json.RawMessage {
	b.t.Helper()
	var content []byte
	if body != nil {
		content, _ = json.Marshal(body)
	}
	request, err := http.NewRequest(method, b.session+path, bytes.NewReader(content))
	if err != nil {
		b.t.Fatal(err)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		b.t.Fatal(err)
	}
	defer response.Body.Close()
	answer, err := io.ReadAll(response.Body)
	if err != nil || response.StatusCode != http.StatusOK {
		b.t.Fatalf("%s %s: %s, %v", method, path, answer, err)
	}
	return decode[struct {
		Value json.RawMessage `json:"value"`
	}](b.t, string(answer)).Value
}

func (b browser) open(address string) {
	b.call(http.MethodPost, "/url", map[string]string{"url": address})
}

// run runs a script, whose arguments it gets, and gives what it returns.
func (b browser) run(script string, arguments ...any) string {
	b.t.Helper()
	if arguments == nil {
		arguments = []any{}
	}
	return string(b.call(http.MethodPost, "/execute/sync", map[string]any{"script": script, "args": arguments}))
}

// wait runs a script that calls its last argument when it is done.
func (b browser) wait(script string) string {
	b.call(http.MethodPost, "/timeouts", map[string]int{"script": 180_000}) // also on a busy machine
	b.t.Helper()
	return string(b.call(http.MethodPost, "/execute/async", map[string]any{"script": script, "args": []any{}}))
}

// press presses a key, and lets it go.
func (b browser) press(key string) {
	b.call(http.MethodPost, "/actions",
		map[string]any{"actions": []any{map[string]any{"type": "key", "id": "keys", "actions": []any{
			map[string]string{"type": "keyDown", "value": key}, map[string]string{"type": "keyUp", "value": key},
		}}}})
}

// messages gives a log since it was read last.
func (b browser) messages(kind string) []string {
	entries := decode[[]struct {
		Level, Message string
	}](b.t, string(b.call(http.MethodPost, "/se/log", map[string]string{"type": kind})))
	var texts []string
	for _, entry := range entries {
		texts = append(texts, entry.Level+" "+entry.Message)
	}
	return texts
}

// devtools calls a command of the browser's own protocol.
func (b browser) devtools(command string, parameters map[string]any) json.RawMessage {
	return b.call(http.MethodPost, "/goog/cdp/execute", map[string]any{"cmd": command, "params": parameters})
}

// accessibilityChecker is the script that make fetch-browser-check fetches.
func accessibilityChecker(t *testing.T) string {
	t.Helper()
	source, err := os.ReadFile("../.lab/axe.min.js")
	if err != nil {
		t.Skip("the accessibility checker is not here; make browser-check fetches it")
	}
	return string(source)
}
