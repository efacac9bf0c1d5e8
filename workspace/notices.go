package workspace

import (
	"context"

	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// Kinds of notices.
const (
	NoticeShared    = "shared"    // something was shared with somebody
	NoticePassed    = "passed"    // somebody passed something on, with a line
	NoticeMentioned = "mentioned" // somebody named them in a line
	NoticeAsked     = "asked"     // somebody asks for rights
	NoticeBroken    = "broken"    // a change broke something that they keep
	NoticeAlert     = "alert"     // an alert tells something
	NoticeSnapshot  = "snapshot"  // somebody passes a snapshot on
	NoticeUnsent    = "unsent"    // something that is sent by itself was not, or no longer is
)

// A Notice is what somebody is told of.
type Notice = store.Notice

// Notices lists what somebody was told, the newest first.
func (w *Workspace) Notices(ctx context.Context, who *identity.Caller, before int64, most int) ([]Notice, error) {
	if err := rights.Ever(who, rights.Self); err != nil {
		return nil, err
	}
	return w.store.Notices(ctx, who.PersonID, before, most)
}

// Unread is how many notices somebody has not read.
func (w *Workspace) Unread(ctx context.Context, who *identity.Caller) int {
	if rights.Ever(who, rights.Self) != nil {
		return 0
	}
	n, err := w.store.Unread(ctx, who.PersonID)
	warn("notices cannot be counted", err)
	return n
}

// OpenNotice is where a notice leads; it is read then.
func (w *Workspace) OpenNotice(ctx context.Context, who *identity.Caller, id int64) (*Notice, error) {
	if err := rights.Ever(who, rights.Self); err != nil {
		return nil, err
	}
	n, err := w.store.Notice(ctx, who.PersonID, id)
	if err != nil {
		return nil, err
	}
	return n, w.store.MarkNotices(ctx, who.PersonID, id, true)
}

// MarkNotices notes that somebody has read a notice, or has not; all of them for 0.
func (w *Workspace) MarkNotices(ctx context.Context, who *identity.Caller, id int64, read bool) error {
	if err := rights.Ever(who, rights.Self); err != nil {
		return err
	}
	return w.store.MarkNotices(ctx, who.PersonID, id, read)
}
