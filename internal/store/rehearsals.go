package store

import (
	"time"

	"github.com/google/uuid"

	"agonal.dev/agonal/core/rehearse"
)

// Rehearsal is a made-up visit that a merchant keeps.
type Rehearsal struct {
	ShopID   string    `gorm:"primaryKey"`
	ID       uuid.UUID `gorm:"primaryKey"`
	Name     string
	Visit    string            // as its address says it
	Expected rehearse.Expected `gorm:"serializer:json"`
	By       string            // who expected it last
	At       time.Time
}
