package bench

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"loyallatch.example/latch/internal/api"
	"loyallatch.example/latch/internal/client"
	"loyallatch.example/latch/internal/sheet"
	"loyallatch.example/latch/internal/testkit"
)

// TestGuessFigures measures what guesses take from others, what the worst files weigh, and how fast PINs are given out.
// It asserts no timing.
func TestGuessFigures(t *testing.T) {
	if os.Getenv("LATCH_BENCH") == "" {
		t.Skip("make bench measures")
	}
	folder, ctx := t.TempDir(), context.Background()
	out, err := exec.Command("go", "build", "-o", folder, "../cmd/loyald").CombinedOutput()
	require.NoError(t, err, string(out))
	address := freeAddress(t)
	service := exec.Command(filepath.Join(folder, "loyald"), "demo", "--listen", address, "--database-port",
		strings.TrimPrefix(freeAddress(t), "127.0.0.1:"), "--folder", filepath.Join(folder, "demo"), "--log-file",
		filepath.Join(folder, "log"))
	process(t, "http://"+address+"/readyz", service)
	url := "http://" + address
	signIn := func() *client.Client {
		c := client.New(url, "")
		_, err := c.SignIn(ctx, "idris@quillmere.example", testkit.Passwords["idris"], "bench")
		require.NoError(t, err)
		return c
	}
	idris := signIn()
	fmt.Printf("\n%-66s %12s %12s\n", "the demo, over HTTP, PINs and passwords at full cost", "measured", "aim")
	row := func(what, measured, aim string) { fmt.Printf("%-66s %12s %12s\n", what, measured, aim) }

	time.Sleep(30 * time.Second) // until the reserve is full
	row("200 new PINs on slips, from the reserve", fmt.Sprintf("%.2f s", slips(t, url, idris.Token, 21,
		190).Seconds()), "< 1 s for 200")

	// issues and sign-ins a second, for a while, one after another each
	work := func() (signIns, issues float64) {
		var both sync.WaitGroup
		const lasts = 10 * time.Second
		count := func(into *float64, do func(n int)) {
			both.Go(func() {
				n := 0
				for start := time.Now(); time.Since(start) < lasts; n++ {
					do(n)
				}
				*into = float64(n) / lasts.Seconds()
			})
		}
		count(&signIns, func(int) { signIn() })
		count(&issues, func(n int) {
			_, err := idris.Write(ctx, "POST", "/credentials/pin", api.PINWrite{PINFields: api.PINFields{
				Staff: fmt.Sprintf("Q%04d", 21+n%150)}})
			require.NoError(t, err)
		})
		both.Wait()
		return signIns, issues
	}
	calmSignIns, calmIssues := work()
	stop := make(chan bool)
	var guessing sync.WaitGroup
	var guesses atomic.Int64
	for i := range 64 {
		guessing.Go(func() {
			door := client.New(url, "lld_demo-hb-controller-token")
			for n := 0; ; n++ {
				select {
				case <-stop:
					return
				default:
				}
				// A new badge number, a new door and a new name each time
				if i%4 == 0 {
					_, _ = client.New(url, "").SignIn(ctx, fmt.Sprintf("nobody%d.%d@example.org", i, n),
						"a guess of mine", "x")
				} else {
					_ = door.Do(ctx, "POST", "/decisions", api.DecisionRequest{Badge: fmt.Sprintf("118-%d",
						1000+(i*37+n)%400),
						PIN: fmt.Sprintf("%06d", (i*7919+n*31)%1000000), Place: "HB-CHEM-1"}, nil)
				}
				guesses.Add(1)
			}
		})
	}
	time.Sleep(2 * time.Second)
	signIns, issues := work()
	close(stop)
	guessing.Wait()
	row("sign-ins a second, calm", fmt.Sprintf("%.1f", calmSignIns), "")
	row("sign-ins a second while 64 connections guess, against calm", fmt.Sprintf("%.2f", signIns/calmSignIns),
		"≥ 0.50")
	row("PINs issued a second, calm", fmt.Sprintf("%.1f", calmIssues), "")
	row("PINs issued a second while 64 connections guess, against calm", fmt.Sprintf("%.2f", issues/calmIssues),
		"≥ 0.50")
	row("guesses answered meanwhile", fmt.Sprint(guesses.Load()), "")

	weights(t, url, idris.Token, service.Process.Pid, row)
}

// slips prints new PINs of so many people, and says how long that takes.
func slips(t *testing.T, url, token string, from, count int) time.Duration {
	t.Helper()
	var numbers []string
	for i := range count {
		numbers = append(numbers, fmt.Sprintf("Q%04d", from+i))
	}
	body, err := json.Marshal(api.SlipsWrite{Staff: numbers})
	require.NoError(t, err)
	request, err := http.NewRequest("POST", url+"/api/v1/credentials/slips", bytes.NewReader(body))
	require.NoError(t, err)
	request.Header.Set("Authorization", "Bearer "+token)
	request.Header.Set("Content-Type", "application/json")
	start := time.Now()
	response, err := http.DefaultClient.Do(request)
	require.NoError(t, err)
	require.NoError(t, response.Body.Close())
	require.Equal(t, http.StatusOK, response.StatusCode)
	return time.Since(start)
}

// weights sends the worst file of each kind, six at once, and says how much memory the service takes for them.
func weights(t *testing.T, url, token string, pid int, row func(what, measured, aim string)) {
	weigh := func(what string, send func()) {
		time.Sleep(3 * time.Second)
		idle, most := resident(t, pid), 0
		done := make(chan bool)
		var watching sync.WaitGroup
		watching.Go(func() {
			for {
				select {
				case <-done:
					return
				case <-time.After(20 * time.Millisecond):
					most = max(most, resident(t, pid))
				}
			}
		})
		var six sync.WaitGroup
		for range 6 {
			six.Go(send)
		}
		six.Wait()
		close(done)
		watching.Wait()
		row("memory above idle, six at once: "+what, fmt.Sprintf("%d MB", most-idle), "< 150 MB")
	}
	send := func(path, contentType string, body []byte) func() {
		return func() {
			request, err := http.NewRequest(map[bool]string{true: "PUT", false: "POST"}[strings.Contains(path,
				"photo")],
				url+"/api/v1"+path, bytes.NewReader(body))
			require.NoError(t, err)
			request.Header.Set("Authorization", "Bearer "+token)
			request.Header.Set("Content-Type", contentType)
			response, err := http.DefaultClient.Do(request)
			require.NoError(t, err)
			var said bytes.Buffer
			_, _ = said.ReadFrom(response.Body)
			_ = response.Body.Close()
			if response.StatusCode == http.StatusServiceUnavailable {
				t.Log("told to come again: ", said.String())
			}
		}
	}
	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, image.NewNRGBA(image.Rect(0, 0, 3900, 3000))))
	weigh("the largest photo", send("/staff/Q0011/photo", "image/png", picture.Bytes()))
	weigh("the largest workbook", send("/imports", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
		largestWorkbook(t)))
	var calendar strings.Builder
	calendar.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n")
	for i := range 2000 {
		fmt.Fprintf(&calendar, "BEGIN:VEVENT\r\nUID:%d\r\nSUMMARY:Never\r\nDTSTART;VALUE=DATE:20261101\r\n"+
			"RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30\r\nEND:VEVENT\r\n", i)
	}
	calendar.WriteString("END:VCALENDAR\r\n")
	weigh("2,000 rules that never fall on a day", send("/places/HB/calendar?reason=r", "text/calendar",
		[]byte(calendar.String())))
}

// largestWorkbook is a workbook that unpacks to about as much as is taken.
func largestWorkbook(t *testing.T) []byte {
	t.Helper()
	var lines [][]string
	lines = append(lines, []string{"staff_number", "given_name", "family_name", "home_site", "notes"})
	for i := range 15_000 {
		lines = append(lines, []string{fmt.Sprintf("X%05d", i), "Ana", "Reyes", "HB", strings.Repeat(fmt.Sprint(i%10),
			600)})
	}
	var out bytes.Buffer
	require.NoError(t, sheet.Write(&out, lines))
	return out.Bytes()
}
