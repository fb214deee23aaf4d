package exchange

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"time"

	"opengauge/core/bench/link"
	"opengauge/core/load"
	"opengauge/core/record/codec"
	"opengauge/core/record/session"
	"opengauge/core/unit"
)

// passRow is a pass in a table, with the columns of its session that tell it from others. Units
// are in the names. The two documents let a table be read back without loss; a table without them
// yields the values of its other columns.
type passRow struct {
	Session         string    `parquet:"session_id,dict" about:"id of the session"`
	Name            string    `parquet:"session_name,dict" about:"name of the session"`
	Started         string    `parquet:"session_started,dict" about:"when the session started, RFC 3339"` // RFC 3339
	Ended           string    `parquet:"session_ended,dict" about:"when it ended, RFC 3339"`
	State           string    `parquet:"session_state,dict" about:"complete, interrupted or failed"`
	Simulated       bool      `parquet:"simulated" about:"whether the storage was simulated"`
	Plan            string    `parquet:"plan,dict" about:"plan that was run"`
	Target          string    `parquet:"target,dict" about:"what was measured"`
	TargetKind      string    `parquet:"target_kind,dict" about:"folder, file, device, volume, network or simulated"`
	Chain           string    `parquet:"chain,dict" about:"hops from host to storage, in words"`
	Conditions      string    `parquet:"conditions,dict" about:"circumstances: a JSON object"` // JSON
	Index           int64     `parquet:"pass_index" about:"number of the pass in its session, from 0"`
	Step            string    `parquet:"step,dict" about:"step of the plan"`
	Load            load.Load // a column for each dimension
	FillShare       float64   `parquet:"fill_share" about:"how full the storage was besides"`
	Repeat          int64     `parquet:"repeat" about:"which repeat it is, from 0"`
	Direct          bool      `parquet:"direct" about:"whether the system's cache was passed by"`
	CutShort        bool      `parquet:"cut_short" about:"whether it was stopped"`
	StartedSeconds  float64   `parquet:"started_seconds" about:"when it began to count, since the session started"`
	ElapsedSeconds  float64   `parquet:"elapsed_seconds" about:"for how long it counted"`
	Bytes           int64     `parquet:"bytes" about:"how much was moved while it counted"`
	Operations      int64     `parquet:"operations" about:"how many operations that were"`
	Errors          int64     `parquet:"errors" about:"how many operations failed"`
	Short           int64     `parquet:"short" about:"how many of those moved less than was asked for"`
	Retried         int64     `parquet:"retried" about:"how often an operation was asked again"`
	BytesPerSecond  float64   `parquet:"bytes_per_second" about:"throughput"`
	IOPS            float64   `parquet:"iops" about:"operations a second"`
	MeanSeconds     float64   `parquet:"latency_mean_seconds" about:"mean latency"`
	P50Seconds      float64   `parquet:"latency_p50_seconds" about:"median latency"`
	P90Seconds      float64   `parquet:"latency_p90_seconds" about:"latency that 90 % did not exceed"`
	P99Seconds      float64   `parquet:"latency_p99_seconds" about:"latency that 99 % did not exceed"`
	P999Seconds     float64   `parquet:"latency_p99_9_seconds" about:"latency that 99.9 % did not exceed"`
	MaxSeconds      float64   `parquet:"latency_max_seconds" about:"highest latency"`
	SessionDocument string    `parquet:"session_document,dict" about:"the session without its passes: JSON"`
	PassDocument    string    `parquet:"pass_document" about:"the pass without its samples: JSON"`
}

// noPass is the index in the row of a session without passes.
const noPass = -1

// sampleRow is a sample in a table.
type sampleRow struct {
	Session        string             `parquet:"session_id,dict" about:"id of the session"`
	Pass           int64              `parquet:"pass_index" about:"number of the pass in its session, from 0"`
	TSeconds       float64            `parquet:"t_seconds" about:"end of the interval, since the pass began to count"`
	ElapsedSeconds float64            `parquet:"elapsed_seconds" about:"for how long it counted"`
	Bytes          int64              `parquet:"bytes" about:"how much was moved while it counted"`
	Operations     int64              `parquet:"operations" about:"how many operations that were"`
	BytesPerSecond float64            `parquet:"bytes_per_second" about:"throughput"`
	IOPS           float64            `parquet:"iops" about:"operations a second"`
	P50Seconds     float64            `parquet:"p50_seconds" about:"median latency"`
	P99Seconds     float64            `parquet:"p99_seconds" about:"latency that 99 % did not exceed"`
	Errors         int64              `parquet:"errors" about:"how many operations failed"`
	Temperatures   map[string]float64 `parquet:"temperatures_celsius" about:"temperatures by sensor, in degrees Celsius"`
	Readings       map[string]float64 `parquet:"readings" about:"what other sensors said; names end in the unit"`
}

// passRows gives the rows of a session's passes, or of a session without any the
// one row that it has of its own.
func passRows(s *session.Session) ([]passRow, error) {
	head, err := sessionColumns(s)
	if err != nil {
		return nil, err
	}
	if len(s.Passes) == 0 { // of copies
		head.Index = noPass
		return []passRow{head}, nil
	}
	rows := make([]passRow, len(s.Passes))
	for i := range s.Passes {
		rows[i] = head
		if err := rows[i].take(s.Passes[i]); err != nil {
			return nil, err
		}
	}
	return rows, nil
}

// sessionColumns returns a row with the columns that are alike in all rows of a session.
func sessionColumns(s *session.Session) (passRow, error) {
	header := *s
	header.Passes = nil
	document, err := json.Marshal(&header)
	if err != nil {
		return passRow{}, err
	}
	conditions, err := json.Marshal(s.Conditions)
	if err != nil {
		return passRow{}, err
	}
	return passRow{
		Session: s.ID, Name: s.Name,
		Started: s.Started.Format(time.RFC3339Nano), Ended: s.Ended.Format(time.RFC3339Nano),
		State: string(s.State), Simulated: s.Simulated, Plan: s.Plan.Name,
		Target: s.Target.Address, TargetKind: s.Target.Kind,
		Chain: chainText(s.Chain), Conditions: string(conditions), SessionDocument: string(document),
	}, nil
}

// take fills in the columns of a pass.
func (r *passRow) take(pass session.Pass) error {
	pass.Samples = nil
	document, err := json.Marshal(&pass)
	if err != nil {
		return err
	}
	r.PassDocument = string(document)
	r.Index = int64(pass.Index)
	r.Step = pass.Step
	r.Load = pass.Load
	r.FillShare = pass.FillShare
	r.Repeat = int64(pass.Repeat)
	r.Direct = pass.Direct
	r.CutShort = pass.CutShort
	r.StartedSeconds = pass.StartedSeconds
	r.ElapsedSeconds = pass.ElapsedSeconds
	r.Bytes = int64(pass.Bytes)
	r.Operations = pass.Operations
	r.Errors = pass.Errors
	r.Short = pass.Short
	r.Retried = pass.Retried
	r.BytesPerSecond = float64(pass.BytesPerSecond)
	r.IOPS = pass.IOPS
	r.MeanSeconds = pass.Latency.Mean
	r.P50Seconds = pass.Latency.P50
	r.P90Seconds = pass.Latency.P90
	r.P99Seconds = pass.Latency.P99
	r.P999Seconds = pass.Latency.P999
	r.MaxSeconds = pass.Latency.Max
	return nil
}

// sampleRows gives the rows of a session's samples.
func sampleRows(s *session.Session) ([]sampleRow, error) {
	var rows []sampleRow
	for i := range s.Passes {
		for _, sample := range s.Passes[i].Samples {
			temperatures := make(map[string]float64, len(sample.TemperaturesCelsius))
			for name, value := range sample.TemperaturesCelsius {
				temperatures[name] = float64(value)
			}
			rows = append(rows, sampleRow{
				Session: s.ID, Pass: int64(s.Passes[i].Index), TSeconds: sample.TSeconds,
				ElapsedSeconds: sample.ElapsedSeconds, Bytes: int64(sample.Bytes),
				Operations: sample.Operations, BytesPerSecond: float64(sample.BytesPerSecond), IOPS: sample.IOPS,
				P50Seconds: sample.P50Seconds,
				P99Seconds: sample.P99Seconds, Errors: sample.Errors, Temperatures: temperatures,
				Readings: sample.Readings,
			})
		}
	}
	return rows, nil
}

func chainText(chain link.Chain) string {
	var hops []string
	for _, hop := range chain.Hops {
		hops = append(hops, hop.Name+": "+hop.Standard)
	}
	return strings.Join(hops, " "+link.Separator+" ")
}

// session makes the session that a row belongs to, without passes.
func (r *passRow) session() (*session.Session, error) {
	s := &session.Session{}
	if r.SessionDocument != "" {
		if err := codec.Unmarshal([]byte(r.SessionDocument), s); err != nil {
			return nil, fmt.Errorf("the document of session %q: %w", r.Session, wrapJSON(err))
		}
		if s.Format != session.Format {
			return nil, unknownFormat(s.Format)
		}
		return s, nil
	}
	s.Format, s.ID, s.Name, s.State, s.Simulated = session.Format, r.Session, r.Name, session.State(r.State),
		r.Simulated
	s.Plan.Name = r.Plan
	s.Target = session.Target{Address: r.Target, Kind: r.TargetKind}
	s.Chain = link.NewChain()
	s.Events = []session.Event{}
	s.Findings = []session.Finding{}
	if r.Chain != "" {
		if chain, err := link.ParseChain(r.Chain); err == nil { // hops of no known standard are left out
			s.Chain = chain
		}
	}
	var err error
	if s.Started, err = time.Parse(time.RFC3339Nano, r.Started); err != nil {
		return nil, fmt.Errorf("session %q started at %q, which is no time", r.Session, r.Started)
	}
	if s.Ended, err = time.Parse(time.RFC3339Nano, r.Ended); err != nil {
		return nil, fmt.Errorf("session %q ended at %q, which is no time", r.Session, r.Ended)
	}
	s.Conditions = map[string]string{}
	if r.Conditions != "" {
		if err := json.Unmarshal([]byte(r.Conditions), &s.Conditions); err != nil {
			return nil, fmt.Errorf("the conditions of session %q are no JSON: %w", r.Session, err)
		}
	}
	return s, nil
}

// pass makes the pass of a row, without samples.
func (r *passRow) pass() (session.Pass, error) {
	if r.PassDocument != "" {
		var pass session.Pass
		err := codec.Unmarshal([]byte(r.PassDocument), &pass)
		return pass, wrapJSON(err)
	}
	if r.Load.Block <= 0 { // before there are very many of them
		return session.Pass{}, fmt.Errorf("pass %d of session %q has no block size", r.Index, r.Session)
	}
	for _, value := range []float64{r.BytesPerSecond, r.IOPS, r.ElapsedSeconds, r.P99Seconds} {
		if math.IsNaN(value) || math.IsInf(value, 0) {
			return session.Pass{}, fmt.Errorf("pass %d of session %q holds %v, which is no figure", r.Index,
				r.Session, value)
		}
	}
	return session.Pass{
		Index: int(r.Index), Step: r.Step,
		Load:      r.Load,
		FillShare: r.FillShare, Repeat: int(r.Repeat), Direct: r.Direct, CutShort: r.CutShort,
		StartedSeconds: r.StartedSeconds, ElapsedSeconds: r.ElapsedSeconds,
		Bytes: unit.Bytes(r.Bytes), Operations: r.Operations, Errors: r.Errors,
		Short: r.Short, Retried: r.Retried,
		BytesPerSecond: unit.BytesPerSecond(r.BytesPerSecond), IOPS: r.IOPS, Samples: []session.Sample{},
		Latency: session.Latency{
			Mean: r.MeanSeconds, P50: r.P50Seconds, P90: r.P90Seconds,
			P99: r.P99Seconds, P999: r.P999Seconds, Max: r.MaxSeconds,
		},
	}, nil
}

func (r *sampleRow) sample() session.Sample {
	made := session.Sample{
		TSeconds: r.TSeconds, ElapsedSeconds: r.ElapsedSeconds, Bytes: unit.Bytes(r.Bytes), Operations: r.Operations,
		BytesPerSecond: unit.BytesPerSecond(r.BytesPerSecond), IOPS: r.IOPS, P50Seconds: r.P50Seconds,
		P99Seconds: r.P99Seconds, Errors: r.Errors,
		TemperaturesCelsius: map[string]unit.Celsius{}, Readings: r.Readings,
	}
	for name, value := range r.Temperatures {
		made.TemperaturesCelsius[name] = unit.Celsius(value)
	}
	if len(made.Readings) == 0 {
		made.Readings = nil
	}
	return made
}
