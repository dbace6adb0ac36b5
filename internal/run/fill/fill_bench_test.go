package fill

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"filler/internal/ask/chat"
	"filler/internal/ask/prompt"
	"filler/internal/base/needs"
	"filler/internal/base/process"
	"filler/internal/base/project"
	"filler/internal/run/job"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/pdf"
	"filler/internal/store/sqlite"
)

// The server of the benchmarks runs in a process of its own, so that its
// processor time is not ours: this program again, with a word in the
// environment.
const asServer = "FILLER_BENCH_SERVER"

func TestMain(m *testing.M) {
	pdf.Main()
	process.Garbage(process.Usual()) // as the program does
	if delay := os.Getenv(asServer); delay != "" {
		serveBench(delay)
		return
	}
	os.Exit(m.Run())
}

var reportNo = regexp.MustCompile(`FB-2031-\d{5}`)

// serveBench answers every request with the record of the sample letter.
func serveBench(delay string) {
	wait, _ := time.ParseDuration(delay)
	came, _ := os.ReadFile("testdata/letter.json")
	var compact bytes.Buffer
	json.Compact(&compact, came)
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		panic(err)
	}
	fmt.Println(listener.Addr())
	http.Serve(listener, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		time.Sleep(wait)
		content, _ := json.Marshal(strings.ReplaceAll(compact.String(), "FB-2031-00000", string(reportNo.Find(body))))
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprintf(w, `{"choices":[{"index":0,"finish_reason":"stop","message":{"role":"assistant","content":%s}}],"usage":{"prompt_tokens":1800,"completion_tokens":300}}`, content)
	}))
}

// benchServer starts that server and gives its base URL.
func benchServer(b *testing.B, delay time.Duration) string {
	cmd := exec.Command(os.Args[0])
	cmd.Env = append(os.Environ(), asServer+"="+delay.String())
	out, err := cmd.StdoutPipe()
	require.NoError(b, err)
	require.NoError(b, cmd.Start())
	b.Cleanup(func() { cmd.Process.Kill(); cmd.Wait() })
	address, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(b, err)
	return "http://" + strings.TrimSpace(address) + "/v1"
}

// benchFiller makes a project of n letters and a Filler for it.
func benchFiller(b *testing.B, url string, n int) (*Filler, []document.Source) {
	dir := b.TempDir()
	letter, err := os.ReadFile("testdata/letter.txt")
	require.NoError(b, err)
	var sources []document.Source
	for i := range n {
		name := fmt.Sprintf("%05d.txt", i)
		file := filepath.Join(dir, name)
		require.NoError(b, os.WriteFile(file, bytes.ReplaceAll(letter, []byte("FB-2031-00000"), fmt.Appendf(nil, "FB-2031-%05d", i)), 0o644))
		sources = append(sources, document.Source{ID: name, File: file})
	}
	s, err := schema.Load("testdata/letter.yaml")
	require.NoError(b, err)
	l, err := sqlite.Open(filepath.Join(dir, "ledger.db"))
	require.NoError(b, err)
	b.Cleanup(func() { l.Close() })
	f, err := New(Setup{Ledger: l, Schema: s, Model: &project.Model{Entry: "m", Name: "m", At: url, Shape: "schema", Reply: 1000},
		Pace: project.Pace{AtOnce: 16, Attempts: 1, Timeout: time.Minute}, Rounds: 2, Settings: prompt.Settings{Layout: "rows"}})
	require.NoError(b, err)
	b.Cleanup(f.Close)
	return f, sources
}

// clean checks that all documents came out right, so that nothing else than a
// plain filling is measured.
func clean(b *testing.B, f *Filler, run int64, n int) {
	totals, err := f.Ledger.Totals(run)
	require.NoError(b, err)
	require.Equal(b, []int{n, n}, []int{totals.Unflagged, totals.Exchanges}, "%+v", totals)
}

// BenchmarkFill fills 400 documents from a server that takes 200 ms, 16 at
// once: 25 rounds of 200 ms are the ideal 5.0 s.
func BenchmarkFill(b *testing.B) {
	for range b.N {
		b.StopTimer()
		f, sources := benchFiller(b, benchServer(b, 200*time.Millisecond), 400)
		b.StartTimer()
		began := time.Now()
		run, err := f.Start(Fill{}, Beginning{Name: ""}, sources)
		require.NoError(b, err)
		require.NoError(b, f.Run(context.Background(), Fill{}, run, Hooks{}))
		b.ReportMetric(time.Since(began).Seconds()/5.0, "of-ideal")
		b.StopTimer()
		clean(b, f, run, 400)
	}
}

// BenchmarkFillProcessor compares the processor time of a filling, everything
// included, with that of a bare loop that posts the same bodies and reads the
// replies.
func BenchmarkFillProcessor(b *testing.B) {
	const n = 3000
	for range b.N {
		b.StopTimer()
		url := benchServer(b, 0)
		f, sources := benchFiller(b, url, n)
		bodies := make([][]byte, n)
		for i, s := range sources {
			d, err := s.Read()
			require.NoError(b, err)
			bodies[i] = chat.Body(prompt.Fill(f.First().Model, f.Schema, d, "schema", f.Settings))
		}
		bare := barePosts(b, url, bodies)
		b.StartTimer()
		before := needs.ProcessorTime()
		run, err := f.Start(Fill{}, Beginning{Name: ""}, sources)
		require.NoError(b, err)
		require.NoError(b, f.Run(context.Background(), Fill{}, run, Hooks{}))
		ours := needs.ProcessorTime() - before
		b.StopTimer()
		clean(b, f, run, n)
		b.ReportMetric(float64(bare.Microseconds())/n, "bare-µs/doc")
		b.ReportMetric(float64(ours.Microseconds())/n, "µs/doc")
		b.ReportMetric(float64(ours)/float64(bare), "of-bare")
	}
}

// barePosts posts bodies, 16 at once, and reads the replies.
func barePosts(b *testing.B, url string, bodies [][]byte) time.Duration {
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 16}}
	before := needs.ProcessorTime()
	var wait sync.WaitGroup
	queue := make(chan []byte)
	for range 16 {
		wait.Go(func() {
			for body := range queue {
				resp, err := client.Post(url+"/chat/completions", "application/json", bytes.NewReader(body))
				if err != nil {
					b.Error(err)
					continue
				}
				io.ReadAll(resp.Body)
				resp.Body.Close()
			}
		})
	}
	for _, body := range bodies {
		queue <- body
	}
	close(queue)
	wait.Wait()
	return needs.ProcessorTime() - before
}

// resident gives the memory that the process holds, in megabytes.
func resident() float64 {
	data, err := os.ReadFile("/proc/self/statm")
	if err != nil {
		return 0
	}
	var size, pages float64
	fmt.Sscan(string(data), &size, &pages)
	return pages * float64(os.Getpagesize()) / (1 << 20)
}

// BenchmarkFillMemory fills 20,000 documents and compares the memory held at the
// end with that after the first 1,000.
func BenchmarkFillMemory(b *testing.B) {
	const n = 20000
	for range b.N {
		b.StopTimer()
		f, sources := benchFiller(b, benchServer(b, 0), n)
		b.StartTimer()
		run, err := f.Start(Fill{}, Beginning{Name: ""}, sources)
		require.NoError(b, err)
		early, late := 0.0, 0.0
		require.NoError(b, f.Run(context.Background(), Fill{}, run, Hooks{Hooks: job.Hooks{Progress: func(p job.Progress) {
			switch p.Done {
			case 1000:
				early = resident()
			case n:
				late = resident()
			}
		}}}))
		b.StopTimer()
		clean(b, f, run, n)
		b.ReportMetric(early, "MB-at-1000")
		b.ReportMetric(late, "MB-at-20000")
		b.ReportMetric(late/early, "growth")
	}
}
