#!/usr/bin/env bash
# make bench: one line a figure, "name value unit". Ratios compare within this run.
cd "$(dirname "$0")/.."
. scripts/lib.sh
STATE=$STATE/test
mkdir -p "$STATE"
PG_FSYNC=off
tools
build 2>&1 | grep '^embed' || true
trap 'db_stop' EXIT
db_start agonal_test
go test ./core/decide -run '^$' -bench 'Decision|ConditionPrograms' -benchtime 3000x | awk '
  /^BenchmarkDecision\// { split($1, a, "/"); sub(/-[0-9]+$/, "", a[2]); n = a[2]
    for (i = 3; i < NF; i++) { if ($(i+1) == "median-µs") print "decision.median." n " " $i " µs"; if ($(i+1) == "p99-µs") print "decision.p99." n " " $i " µs"; if ($(i+1) == "allocs/op") print "decision.allocations." n " " $i " 1" } per[n] = $3 }
  /^BenchmarkConditionPrograms/ { programs = $3 }
  END { if (per[100] > 0) printf "decision.growth_100_to_10000 %.2f 1\n", per[10000] / per[100]
    if (per[1000] > 0) printf "decision.times_as_fast_as_condition_programs %.0f 1\n", programs / per[1000] }'
go test ./core/decide -run '^$' -bench 'Suggestions|LargestCart' -benchtime 50x | awk '
  /^BenchmarkSuggestions/ { printf "decision.with_suggestions %.2f ms\n", $3 / 1e6 }
  /^BenchmarkLargestCart/ { printf "decision.largest_cart %.2f ms\n", $3 / 1e6 }'
go test ./core/decide -run '^$' -bench Promises -benchtime 1x | awk '
  /^BenchmarkPromises\// { split($1, a, "/"); sub(/-[0-9]+$/, "", a[2])
    for (i = 3; i < NF; i++) if ($(i+1) == "%-not-found") printf "promises.not_found.%s %.2f %%\n", a[2], $i }'
go test ./internal/storefront -run '^$' -bench HTTPDecision -benchtime 3s | awk '
  /^BenchmarkHTTPDecision\// { split($1, a, "/"); sub(/-[0-9]+$/, "", a[2])
    for (i = 3; i < NF; i++) { if ($(i+1) == "agonal/s") printf "http.agonal.%s %.0f 1/s\n", a[2], $i; if ($(i+1) == "bare/s") printf "http.bare.%s %.0f 1/s\n", a[2], $i; if ($(i+1) == "%-of-bare") printf "http.share_of_bare.%s %.0f %%\n", a[2], $i } }'
go test ./internal/app -run '^$' -bench Import -benchtime 3x | awk '/^BenchmarkImport/ { printf "import.20000_variants %.2f s\n", $3 / 1e9 }'
go test ./internal/store -run '^$' -bench Events -benchtime 20x | awk '
  /^BenchmarkEvents/ { for (i = 3; i < NF; i++) { if ($(i+1) == "counted/s") printf "events.counted %.0f 1/s\n", $i; if ($(i+1) == "copied/s") printf "events.copied %.0f 1/s\n", $i; if ($(i+1) == "%-of-copy") printf "events.share_of_copy %.0f %%\n", $i } }'
go test ./core/decide -run '^$' -bench Assignment -benchtime 10000x | awk '
  /^BenchmarkAssignment/ { for (i = 3; i < NF; i++) if ($(i+1) == "%-of-decision") printf "trial.assignment %.1f %% of a decision
", $i }'
go test ./internal/merchant -run '^$' -bench Pages -benchtime 30x | awk '
  /^BenchmarkPages\// { split($1, a, "/"); sub(/-[0-9]+$/, "", a[2])
    for (i = 3; i < NF; i++) if ($(i+1) == "median-ms") printf "page.median.%s %.1f ms\n", a[2], $i }'
go test ./internal/merchant -run '^$' -bench Results -benchtime 10x -timeout 60m | awk '
  /^BenchmarkResults\// { split($1, a, "/"); sub(/-[0-9]+$/, "", a[2])
    for (i = 3; i < NF; i++) if ($(i+1) == "median-ms") print "page.median.10_million_events." a[2] " " $i " ms" }'
db_stop
trap - EXIT
ONLY=browser E2E_ARGS="bench.spec.ts -g dragging" ./scripts/test.sh 2>/dev/null | grep '^bench\.' | sed 's/^bench\.frames_per_second/workbench.frames_decided_and_drawn/'
