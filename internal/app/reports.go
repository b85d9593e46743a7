package app

import (
	"context"
	"time"

	"github.com/google/uuid"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"agonal.dev/agonal/internal/store"
)

// ReportHour is when on Mondays reports of the week before are sent, in the shop's time zone.
const ReportHour = 7

// AskForReports lets a person have a report of a shop each Monday, or no more. base is the
// address of the application that they know; empty: no more.
func (a *App) AskForReports(ctx context.Context, shop string, account uuid.UUID, base string) error {
	return a.Store.DB.WithContext(ctx).Model(&store.Membership{}).Where("shop_id = ? AND account_id = ?", shop, account).Update("weekly", base).Error
}

// Reports tells whether a person has a report each Monday.
func (a *App) Reports(ctx context.Context, shop string, account uuid.UUID) (bool, error) {
	var n int64
	err := a.Store.DB.WithContext(ctx).Model(&store.Membership{}).Where("shop_id = ? AND account_id = ? AND weekly <> ''", shop, account).Count(&n).Error
	return n > 0, err
}

// DueReport is a report that is to be sent: of the seven days from Week on.
type DueReport struct {
	Shop, Base string
	Account    uuid.UUID
	Email      string
	Week       time.Time // its Monday
}

// DueReports are the reports of the last whole week that were not sent yet.
func (a *App) DueReports(ctx context.Context) ([]DueReport, error) {
	var rows []DueReport
	err := a.Store.DB.WithContext(ctx).Raw(`SELECT m.shop_id AS shop, m.weekly AS base, m.account_id AS account, c.email FROM memberships m JOIN accounts c ON c.id = m.account_id
		WHERE m.weekly <> '' ORDER BY 1, 4`).Scan(&rows).Error
	if err != nil {
		return nil, err
	}
	var out []DueReport
	for _, r := range rows {
		snap, err := a.Snapshots.Get(ctx, r.Shop)
		if err != nil {
			return nil, err
		}
		r.Week = lastWeek(a.Now().In(snap.Zone))
		var sent int64
		if err := a.Store.DB.WithContext(ctx).Model(&store.Report{}).Where("shop_id = ? AND account_id = ? AND week = ?", r.Shop, r.Account, r.Week).Count(&sent).Error; err != nil {
			return nil, err
		}
		if sent == 0 {
			out = append(out, r)
		}
	}
	return out, nil
}

// lastWeek is the Monday of the last week of which a report is due.
func lastWeek(now time.Time) time.Time {
	monday := time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, time.UTC).AddDate(0, 0, -(int(now.Weekday())+6)%7)
	if now.Weekday() == time.Monday && now.Hour() < ReportHour {
		return monday.AddDate(0, 0, -14)
	}
	return monday.AddDate(0, 0, -7)
}

// SendReport hands a report to the stand-in for e-mail, once, however often it is tried and by
// how many processes.
func (a *App) SendReport(ctx context.Context, r DueReport, subject, body string) error {
	return a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		done := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&store.Report{ShopID: r.Shop, AccountID: r.Account, Week: r.Week})
		if done.Error != nil || done.RowsAffected == 0 {
			return done.Error
		}
		return tx.Create(&store.Mail{ToAddress: r.Email, Subject: subject, Body: body, At: a.Now().UTC()}).Error
	})
}
