// Package jobs runs long work on a queue in PostgreSQL: it outlives a restart,
// and a person may leave it and come back.
package jobs

import (
	"context"
	"log/slog"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"

	"agonal.dev/agonal/internal/app"
)

// Queue is the queue and its workers.
type Queue struct {
	client *river.Client[pgx.Tx]
}

// New makes the queue of an application and gives it to it.
func New(a *app.App, log *slog.Logger) (*Queue, error) {
	workers := river.NewWorkers()
	river.AddWorker(workers, &importWorker{app: a})
	client, err := river.NewClient(riverpgxv5.New(a.Store.Pool), &river.Config{
		Queues:  map[string]river.QueueConfig{river.QueueDefault: {MaxWorkers: 2}},
		Workers: workers, Logger: log, FetchPollInterval: 500 * time.Millisecond, FetchCooldown: 50 * time.Millisecond,
	})
	if err != nil {
		return nil, err
	}
	q := &Queue{client}
	a.UseJobs(q)
	return q, nil
}

// Start begins to work the queue.
func (q *Queue) Start(ctx context.Context) error { return q.client.Start(ctx) }

// Stop waits for what is under way.
func (q *Queue) Stop(ctx context.Context) error { return q.client.Stop(ctx) }

// EnqueueImport queues the bringing in of a catalogue file.
func (q *Queue) EnqueueImport(ctx context.Context, tx pgx.Tx, shop string, id uuid.UUID) error {
	_, err := q.client.InsertTx(ctx, tx, importArgs{Shop: shop, Import: id}, nil)
	return err
}

type importArgs struct {
	Shop   string    `json:"shop"`
	Import uuid.UUID `json:"import"`
}

func (importArgs) Kind() string { return "import_catalogue" }

type importWorker struct {
	river.WorkerDefaults[importArgs]
	app *app.App
}

func (w *importWorker) Work(ctx context.Context, job *river.Job[importArgs]) error {
	return w.app.RunImport(ctx, job.Args.Shop, job.Args.Import)
}

func (w *importWorker) Timeout(*river.Job[importArgs]) time.Duration { return 10 * time.Minute }
