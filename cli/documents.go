package cli

import (
	"opengauge/core/bench/windows"
	"opengauge/core/plan"
	"opengauge/core/record/session"
	"opengauge/core/review"
)

// document is a form of JSON that commands print. Each has a schema, which is made from
// it, in docs/schemas.
type document struct {
	// Name is the name of the schema's file. Format is the document's own "format"; a plan has
	// none.
	Name, Format string
	// Of is a zero value of the document, and Says its description.
	Of   any
	Says string
}

// documents are all of them.
var documents = []document{
	{"session", session.Format, session.Session{}, "All that one run of a plan recorded."},
	{"list", "opengauge.list/1", sessionList{}, "What a logbook holds."},
	{"explanation", "opengauge.explanation/1", explanation{}, "What was found in a session."},
	{"comparison", "opengauge.comparison/1", comparisonRecord{}, "Sessions against a baseline, load by load."},
	{"effect", "opengauge.effect/1", effectRecord{}, "What one circumstance does, over sessions that differ in it."},
	{"isolation", "opengauge.isolation/1", isolationRecord{}, "Which part is at fault, of several combinations."},
	{"value", "opengauge.value/1", valueRecord{}, "What money buys."},
	{"streams", "opengauge.streams/1", streamsRecord{}, "How many streams a session's storage carries."},
	{"forecast", "opengauge.forecast/1", forecastRecord{}, "What a chain would let through."},
	{"rated", "opengauge.rated/1", ratedRecord{}, "What a chain lets through of the ratings of a drive."},
	{"quotes", "opengauge.quotes/1", quotesRecord{}, "Figures that others published."},
	{"ranking", "opengauge.ranking/1", rankRecord{}, "Where a session stands in its class."},
	{"import", "opengauge.import/1", importRecord{}, "What was added to a logbook."},
	{"retention", "opengauge.retention/1", retentionRecord{}, "How long a logbook keeps what was measured."},
	{"survey", "opengauge.survey/1", surveyRecord{}, "The storage that this machine has, and how it is connected."},
	{"probe", "opengauge.probe/1", probeRecord{}, "What external instruments said."},
	{"windows-capture", windows.Format, windows.Capture{}, "What a Windows machine was asked, and what it answered."},
	{"arrived", "opengauge.arrived/1", arrivedRecord{}, "What became of a file set that was copied by hand."},
	{"chain", "opengauge.chain/1", chainRecord{}, "A chain of links with its ceilings."},
	{"standards", "opengauge.standards/1", standardsList{}, "Link standards with their ceilings."},
	{"plan-check", "opengauge.plan-check/1", planCheck{}, "What a plan would take."},
	{"review", "", review.Form{}, "A review, as review.yaml has it."},
	{"review-check", "opengauge.review-check/1", reviewCheckRecord{}, "What a review would take, and tell."},
	{"review-step", "opengauge.review-step/1", stepRecord{}, "The next step of a review."},
	{"review-status", "opengauge.review-status/1", reviewStatusRecord{}, "How far a review is."},
	{"review-answer", "opengauge.review-answer/1", answerRecord{}, "What a review answers by now."},
	{"review-pack", packFormat, reviewPack{}, "A review with what was measured for it."},
	{"plan", "", plan.Plan{}, "A plan."},
	{"plans", "", []plan.Plan{}, "The built-in plans."},
}
