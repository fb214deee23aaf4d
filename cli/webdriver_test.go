package cli_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"sync"
	"testing"

	"opengauge/lab/night"
)

// browser is a tab of a headless Chromium, driven by the W3C WebDriver protocol.
type browser struct {
	t       *testing.T
	session string // its address
}

// theBrowser is the one browser of all tests. One test at a time has it.
var theBrowser struct {
	sync.Mutex
	driver  *exec.Cmd
	session string
	err     error
}

// errNoDriver is the error of a machine without the driver.
var errNoDriver = errors.New("there is no chromedriver; Debian has it as chromium-driver")

// openBrowser opens a tab, which is closed when the test ends; the test is skipped where there
// is no browser.
func openBrowser(t *testing.T) browser {
	t.Helper()
	if os.Getenv("OPENGAUGE_PAGES") == "" && !night.IsOn() {
		t.Skip("make pages runs it: it opens pages in a browser")
	}
	theBrowser.Lock()
	t.Cleanup(theBrowser.Unlock)
	if theBrowser.session == "" && theBrowser.err == nil {
		theBrowser.session, theBrowser.err = startBrowser()
	}
	switch {
	case errors.Is(theBrowser.err, errNoDriver):
		t.Skip(theBrowser.err)
	case theBrowser.err != nil:
		t.Fatal(theBrowser.err)
	}
	b := browser{t: t, session: theBrowser.session}
	first := decode[string](t, string(b.call(http.MethodGet, "/window", nil)))
	tab := decode[struct{ Handle string }](t, string(b.call(http.MethodPost, "/window/new",
		map[string]string{"type": "tab"})))
	b.call(http.MethodPost, "/window", map[string]string{"handle": tab.Handle})
	b.messages("browser")
	b.messages("performance")
	t.Cleanup(func() {
		b.call(http.MethodDelete, "/window", nil)
		b.call(http.MethodPost, "/window", map[string]string{"handle": first})
	})
	return b
}

// startBrowser starts a driver and a browser, and returns the address of its session.
func startBrowser() (string, error) {
	driver, err := exec.LookPath("chromedriver")
	if err != nil {
		return "", errNoDriver
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	port := listener.Addr().(*net.TCPAddr).Port
	_ = listener.Close()
	theBrowser.driver = exec.Command(driver, fmt.Sprintf("--port=%d", port))
	if err := theBrowser.driver.Start(); err != nil {
		return "", err
	}
	address := fmt.Sprintf("http://127.0.0.1:%d/session", port)
	if err := awaitListener(fmt.Sprintf("127.0.0.1:%d", port)); err != nil {
		return "", err
	}
	answer, err := callDriver(http.MethodPost, address, map[string]any{"capabilities": map[string]any{
		"alwaysMatch": map[string]any{
			"goog:loggingPrefs": map[string]string{"browser": "ALL", "performance": "ALL"},
			"goog:chromeOptions": map[string]any{"args": []string{
				"--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
				"--disable-background-networking",
				"--disable-component-update", "--disable-sync", "--window-size=1280,800",
			}},
		}}})
	if err != nil {
		return "", err
	}
	var started struct {
		SessionID string `json:"sessionId"`
	}
	err = json.Unmarshal(answer, &started)
	return address + "/" + started.SessionID, err
}

// stopBrowser ends the browser, if one was started.
func stopBrowser() {
	if theBrowser.driver == nil {
		return
	}
	if theBrowser.session != "" {
		_, _ = callDriver(http.MethodDelete, theBrowser.session, nil)
	}
	_ = theBrowser.driver.Process.Kill()
	_ = theBrowser.driver.Wait()
}

// callDriver sends a command to the driver and returns the value of its answer.
func callDriver(method, address string, body any) (json.RawMessage, error) {
	var content []byte
	if body != nil {
		content, _ = json.Marshal(body)
	}
	request, err := http.NewRequest(method, address, bytes.NewReader(content))
	if err != nil {
		return nil, err
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	answer, err := io.ReadAll(response.Body)
	if err != nil || response.StatusCode != http.StatusOK {
		return nil, fmt.Errorf("%s %s: %s, %w", method, address, answer, err)
	}
	var made struct{ Value json.RawMessage }
	err = json.Unmarshal(answer, &made)
	return made.Value, err
}

// call sends a command to the tab and returns the value of its answer.
func (b browser) call(method, path string, body any) json.RawMessage {
	b.t.Helper()
	value, err := callDriver(method, b.session+path, body)
	if err != nil {
		b.t.Fatal(err)
	}
	return value
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
