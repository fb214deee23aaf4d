package logbook

import (
	"encoding/json"
	"time"
)

// Claim is a visit of a review that a bench has taken for a while.
type Claim struct {
	Review string
	// Place is the visit's place among all visits of the review.
	Place int
	Bench string
	// Document says which visit it is.
	Document json.RawMessage
}

// Take claims a visit for a bench for a duration, by the logbook's clock. It calls choose with the claims of
// others, and nobody else claims anything of the review meanwhile. It returns false where choose finds
// nothing to claim.
func (l *Logbook) Take(review, bench string, within time.Duration,
	choose func(others []Claim) (place int, document any, ok bool)) (took bool, err error) {
	err = l.database.change(func(tx transaction) error {
		if tx.takeTurn != "" {
			if _, err := tx.Exec(tx.takeTurn); err != nil {
				return err
			}
		}
		if _, err := tx.Exec(tx.clearClaims, review, bench); err != nil {
			return err
		}
		others, err := claims(tx, review)
		if err != nil {
			return err
		}
		place, document, ok := choose(others)
		if took = ok; !ok {
			return nil
		}
		text, err := json.Marshal(document)
		if err != nil {
			return err
		}
		_, err = tx.Exec(tx.addClaim, review, place, bench, within.Milliseconds(), string(text))
		return err
	})
	return took, l.unusable(err)
}

func claims(tx transaction, review string) ([]Claim, error) {
	rows, err := tx.Query(`SELECT place, bench, document FROM claims WHERE review = $1 ORDER BY place`, review)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var found []Claim
	for rows.Next() {
		each := Claim{Review: review}
		var document string
		if err := rows.Scan(&each.Place, &each.Bench, &document); err != nil {
			return nil, err
		}
		each.Document = json.RawMessage(document)
		found = append(found, each)
	}
	return found, rows.Err()
}

// KeepTaken renews the claims of a bench on a review for a duration from now.
func (l *Logbook) KeepTaken(review, bench string, within time.Duration) error {
	_, err := l.database.Exec(l.database.keepClaims, within.Milliseconds(), review, bench)
	return l.unusable(err)
}

// GiveBack ends the claims of a bench on a review.
func (l *Logbook) GiveBack(review, bench string) error {
	_, err := l.database.Exec(l.database.giveBack, review, bench)
	return l.unusable(err)
}
