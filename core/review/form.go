package review

// Form is review.yaml as a document, from which its schema is made. [Parse] reads it with the places of
// mistakes; a test holds the two together.
type Form struct {
	Review   string `json:"review" jsonschema:"description=the name of the review"`
	Question string `json:"question" jsonschema:"description=the question in words"`
	Bench    string `json:"bench,omitempty" jsonschema:"description=the bench book, beside this file"`
	// Compare has factors, each with its levels, or with levels and where it has them.
	Compare    map[string]any                   `json:"compare,omitempty" jsonschema:"description=factors"`
	Candidates map[string]map[string]FormScalar `json:"candidates,omitempty" jsonschema:"description=bundles"`
	With       map[string]FormScalar            `json:"with,omitempty" jsonschema:"description=what is the same for all"`
	Measure    []FormMeasurement                `json:"measure"`
	Decide     FormDecision                     `json:"decide"`
	Budget     *FormBudget                      `json:"budget,omitempty"`
}

// FormScalar is a text, a number, or yes or no.
type FormScalar any

// FormMeasurement is one thing that is measured at each visit.
type FormMeasurement struct {
	Name    string     `json:"name,omitempty" jsonschema:"description=tells it from the others"`
	Plan    string     `json:"plan,omitempty" jsonschema:"description=a built-in plan or a YAML file beside this one"`
	Copy    string     `json:"copy,omitempty" jsonschema:"description=a file set that is copied"`
	Streams string     `json:"streams,omitempty" jsonschema:"description=a list of streams that it has to tell of"`
	Hold    string     `json:"hold,omitempty" jsonschema:"description=how long passes without a time of their own count"`
	For     string     `json:"for,omitempty" jsonschema:"description=for how long streams are written (default 5m)"`
	Size    string     `json:"size,omitempty" jsonschema:"description=of the test file or of the file set"`
	From    string     `json:"from,omitempty" jsonschema:"description=where a copy comes from"`
	To      string     `json:"to,omitempty" jsonschema:"description=where a copy goes"`
	Times   FormScalar `json:"times,omitempty" jsonschema:"description=how often at each visit (default 1)"`
}

// FormDecision is how the answer is judged.
type FormDecision struct {
	Smallest string     `json:"smallest,omitempty" jsonschema:"description=a figure of which less is better"`
	Largest  string     `json:"largest,omitempty" jsonschema:"description=a figure of which more is better"`
	Of       string     `json:"of,omitempty" jsonschema:"description=read\\, write\\, a load\\, or copy SET"`
	Amount   string     `json:"amount,omitempty" jsonschema:"description=how much is moved\\, for time"`
	Matters  FormScalar `json:"matters,omitempty" jsonschema:"description=less than this is none (default 5%)"`
	Sure     FormScalar `json:"sure,omitempty" jsonschema:"description=how sure the answer has to be (default 0.95)"`
	Must     *FormMust  `json:"must,omitempty"`
	Choose   any        `json:"choose,omitempty" jsonschema:"description=factors (default those not named)"`
	Over     any        `json:"over,omitempty" jsonschema:"description=factors that are averaged over"`
	WorstOf  any        `json:"worst-of,omitempty" jsonschema:"description=factors of which the worst level counts"`
	Given    any        `json:"given,omitempty" jsonschema:"description=factors that get an answer a level"`
}

// FormMust is a requirement of an option.
type FormMust struct {
	Carries         string     `json:"carries,omitempty" jsonschema:"description=a list of streams"`
	PriceAtMost     FormScalar `json:"price-at-most,omitempty"`
	CapacityAtLeast string     `json:"capacity-at-least,omitempty"`
	NoDropout       FormScalar `json:"no-dropout,omitempty"`
	WarmestAtMost   string     `json:"warmest-at-most,omitempty"`
}

// FormBudget bounds the experiment and the purchase.
type FormBudget struct {
	PriceAtMost   FormScalar `json:"price-at-most,omitempty"`
	HoursAtMost   FormScalar `json:"hours-at-most,omitempty"`
	WrittenAtMost string     `json:"written-at-most,omitempty"`
	SwapsAtMost   FormScalar `json:"swaps-at-most,omitempty"`
	VisitsAtMost  FormScalar `json:"visits-at-most,omitempty" jsonschema:"description=of each cell (default 8)"`
	VisitsAtLeast FormScalar `json:"visits-at-least,omitempty" jsonschema:"description=of each cell (default 2)"`
	Owned         any        `json:"owned,omitempty" jsonschema:"description=parts that cost nothing"`
	MinutesASwap  FormScalar `json:"minutes-a-swap,omitempty" jsonschema:"description=to exchange a part (default 3)"`
	RestAtMost    string     `json:"rest-at-most,omitempty" jsonschema:"description=before a cell (default 30m)"`
}
