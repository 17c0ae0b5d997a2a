package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"net"
	"strings"
	"syscall"

	"github.com/go-sql-driver/mysql"
)

// What can go wrong with the database itself. Errors of the methods of Store
// wrap one of these where it applies.
var (
	// ErrAway: the database does not answer. What was asked for was not saved.
	ErrAway = errors.New("the database does not answer")
	// ErrBusy: another held what was needed for too long. Nothing was saved.
	ErrBusy = errors.New("the database was busy with this reel")
	// ErrFull: there is no room left where the database lies. Nothing was saved.
	ErrFull = errors.New("the disk of the database is full")
	// ErrTooMuch: the database does not take so much at once. Nothing was saved.
	ErrTooMuch = errors.New("that is more than the database takes at once")
	// ErrUnknown: the answer to the commit did not come, so whether it was saved
	// is not known. Asked again with the same key it is done once.
	ErrUnknown = errors.New("whether this was saved is not known yet")
)

// MariaDB's error numbers that are told apart.
const (
	errDiskFull  = 1021
	errStorage   = 1030 // from the engine; 28 is ENOSPC
	errTableFull = 1114
	errTempFull  = 3
	errManyConns = 1040
	errShutdown  = 1053
	errKilled    = 1927
	errGone      = 2006
	errLost      = 2013
	errReadOnly  = 1290
	errPacket    = 1153
	errLockWait  = 1205
	errDeadlock  = 1213
	errStatement = 1969 // longer than max_statement_time
	errDuplicate = 1062
	errDenied    = 1044
	errNoRight   = 1227
)

// number is MariaDB's number of an error, or 0.
func number(err error) uint16 {
	var e *mysql.MySQLError
	if errors.As(err, &e) {
		return e.Number
	}
	return 0
}

// classify wraps an error of the database in what it stands for.
func classify(err error) error {
	if err == nil {
		return nil
	}
	for _, known := range []error{ErrAway, ErrBusy, ErrFull, ErrTooMuch, ErrUnknown} {
		if errors.Is(err, known) {
			return err
		}
	}
	var kind error
	switch number(err) {
	case errDiskFull, errTableFull, errTempFull:
		kind = ErrFull
	case errStorage:
		kind = ErrAway
		if strings.Contains(err.Error(), "28") || strings.Contains(err.Error(), "No space") {
			kind = ErrFull
		}
	case errManyConns, errShutdown, errKilled, errGone, errLost, errReadOnly:
		kind = ErrAway
	case errPacket:
		kind = ErrTooMuch
	case errLockWait, errDeadlock, errStatement:
		kind = ErrBusy
	}
	var netErr net.Error
	switch {
	case kind != nil:
	case errors.Is(err, mysql.ErrPktTooLarge):
		kind = ErrTooMuch
	case errors.Is(err, syscall.ENOSPC):
		kind = ErrFull
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return err // of the one who asked
	case errors.Is(err, driver.ErrBadConn), errors.Is(err, mysql.ErrInvalidConn), errors.Is(err, sql.ErrConnDone), errors.Is(err, sql.ErrTxDone), errors.As(err, &netErr), errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF):
		kind = ErrAway
	default:
		return err
	}
	return fmt.Errorf("%w: %w", kind, err)
}
