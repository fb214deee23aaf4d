package logbook

import (
	"encoding/json"
	"fmt"

	"opengauge/core/bench/book"
	"opengauge/core/record/codec"
	"opengauge/core/unit"
)

// AddQuote keeps a figure that somebody else published. One that is there already is kept
// once.
func (l *Logbook) AddQuote(q book.Quote) error {
	document, err := json.Marshal(q)
	if err != nil {
		return err
	}
	_, err = l.database.Exec(l.database.addQuote, q.Part, string(document))
	return err
}

// RemoveQuotes forgets the figures of a part, or of a set, and says how many there were. On a
// server those that another account noted stay, which is an error.
func (l *Logbook) RemoveQuotes(part, set string) (removed int64, err error) {
	stay := 0
	err = l.database.change(func(tx transaction) error {
		removed, stay = 0, 0
		documents, err := queryTexts(tx, `SELECT document FROM quotes ORDER BY id`)
		if err != nil {
			return err
		}
		for i, document := range documents {
			q, err := parseQuote(document)
			if err != nil {
				if err := l.leaveOut(fmt.Sprintf("quoted figure %d", i+1), err); err != nil {
					return err
				}
				continue
			}
			if part != "" && q.Part != part || set != "" && q.Set != set {
				continue
			}
			result, err := tx.Exec(tx.removeQuote, document)
			if err != nil {
				return err
			}
			gone, err := result.RowsAffected()
			if err != nil {
				return err
			}
			if removed += gone; gone == 0 {
				stay++
			}
		}
		return nil
	})
	if err == nil && stay > 0 {
		err = fmt.Errorf("%s stay: other accounts noted them; those and the keepers of the logbook may remove them",
			unit.Count(stay, "quoted figure"))
	}
	return removed, err
}

// Quotes are the figures of all parts, in the order in which they were kept.
func (l *Logbook) Quotes() ([]book.Quote, error) {
	documents, err := queryTexts(l.database, `SELECT document FROM quotes ORDER BY id`)
	if err != nil {
		return nil, l.unusable(err)
	}
	quotes := make([]book.Quote, 0, len(documents))
	for i, document := range documents {
		quote, err := parseQuote(document)
		if err == nil {
			quotes = append(quotes, quote)
		} else if err := l.leaveOut(fmt.Sprintf("quoted figure %d", i+1), err); err != nil {
			return nil, err
		}
	}
	return quotes, nil
}

func parseQuote(document string) (book.Quote, error) {
	var q book.Quote
	err := codec.Unmarshal([]byte(document), &q)
	return q, err
}
