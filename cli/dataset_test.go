package cli_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"opengauge/core/record/exchange"
	"opengauge/lab/recorded"
)

// script reads every file of a folder by a reader that is none of the program's, and says how many rows
// and bytes there are, of which columns.
const script = `
import { parquetReadObjects, parquetMetadataAsync, parquetSchema } from "%LAB%/hyparquet/src/index.js";
import { decompress } from "%LAB%/fzstd/esm/index.mjs";
import { readdirSync, readFileSync } from "node:fs";
const compressors = { ZSTD: (input, length) => decompress(input, new Uint8Array(length)) };
const found = { rows: 0, bytes: 0, sessions: [], columns: [], fan: 0 };
for (const month of readdirSync(process.argv[2])) {
  for (const name of readdirSync(process.argv[2] + "/" + month)) {
    const text = readFileSync(process.argv[2] + "/" + month + "/" + name);
    const file = text.buffer.slice(text.byteOffset, text.byteOffset + text.byteLength);
    const metadata = await parquetMetadataAsync(file);
    found.columns = parquetSchema(metadata).children.map((c) => c.element.name);
    for (const row of await parquetReadObjects({ file, compressors })) {
      found.rows++;
      found.bytes += Number(row.bytes ?? 0);
      if (!found.sessions.includes(row.session_id)) found.sessions.push(row.session_id);
    }
  }
}
console.log(JSON.stringify(found));
`

type tableFound struct {
	Rows     int
	Bytes    float64
	Sessions []string
	Columns  []string
}

// Another engine reads what is exported: all rows, all bytes, and the columns that the README names.
func TestADatasetIsReadByOthers(t *testing.T) {
	t.Parallel()
	needs(t, "node")
	lab, err := filepath.Abs("../.lab")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := os.Stat(filepath.Join(lab, "hyparquet")); err != nil {
		t.Skip("the second reader of Parquet is not here (make browser-check)")
	}
	d := newDesk(t)
	d.must("logbook", "import", "../examples/sessions.json.gz")
	d.must("logbook", "tag", "dunlin-long", "deck", "article")
	folder := filepath.Join(t.TempDir(), "archive")
	d.must("logbook", "export", "--all", "--dataset", folder)
	file := filepath.Join(t.TempDir(), "read.mjs")
	if err := os.WriteFile(file, []byte(strings.ReplaceAll(script, "%LAB%", lab)), 0o600); err != nil {
		t.Fatal(err)
	}
	readme, err := os.ReadFile(filepath.Join(folder, "README.md"))
	if err != nil {
		t.Fatal(err)
	}
	all := recorded.All(t)
	passes, samples, bytes := 0, 0, 0.0
	for _, s := range all {
		passes += max(len(s.Passes), 1)
		for i := range s.Passes {
			samples += len(s.Passes[i].Samples)
			bytes += float64(s.Passes[i].Bytes)
		}
	}
	rows := map[string]int{"sessions": len(all), "passes": passes, "samples": samples}
	for _, table := range exchange.DatasetTables() {
		command := exec.Command("node", file, filepath.Join(folder, table))
		out, err := command.CombinedOutput()
		if err != nil {
			t.Fatalf("%s: %v\n%s", table, err, out)
		}
		var found tableFound
		if err := json.Unmarshal(out, &found); err != nil {
			t.Fatalf("%v\n%s", err, out)
		}
		if found.Rows != rows[table] || rows[table] == 0 {
			t.Errorf("%s has %d rows, want %d", table, found.Rows, rows[table])
		}
		if table != "samples" && len(found.Sessions) != len(all) {
			t.Errorf("%s is of %d sessions, want %d", table, len(found.Sessions), len(all))
		}
		if table == "passes" && found.Bytes != bytes {
			t.Errorf("passes moved %.0f bytes, want %.0f", found.Bytes, bytes)
		}
		_, words, _ := strings.Cut(string(readme), "## "+table+"\n")
		words, _, _ = strings.Cut(words, "\n## ")
		for _, column := range found.Columns {
			_, about, named := strings.Cut(words, "| "+column+" | ")
			about, _, _ = strings.Cut(about, " |\n")
			if !named || len(strings.Split(about, " | ")) != 2 || strings.HasSuffix(about, " | ") {
				t.Errorf("the README says nothing of %s.%s", table, column)
			}
		}
	}
	// It comes back by import.
	again := newDesk(t)
	files, _ := filepath.Glob(filepath.Join(folder, "*", "*", "*.parquet"))
	var tables []string
	for _, each := range files {
		if !strings.Contains(each, "sessions") {
			tables = append(tables, each)
		}
	}
	again.must(append([]string{"logbook", "import"}, tables...)...)
	got, want := again.must("logbook", "list", "--limit", "0"), d.must("logbook", "list", "--limit", "0")
	if strings.Count(got, "\n") != strings.Count(want, "\n") {
		t.Errorf("what came back is\n%s\nwant\n%s", got, want)
	}
	if got := d.run("logbook", "export", "--all", "--dataset", folder); got.code != 2 ||
		!strings.Contains(got.stderr, "there already") {
		t.Errorf("a folder that is there: exit %d, %s", got.code, got.stderr)
	}
}
