module agonal.dev/agonal

go 1.26.8

require (
	github.com/bojanz/currency v1.4.2
	github.com/stretchr/testify v1.12.1
	pgregory.net/rapid v1.3.0
)

require (
	github.com/cockroachdb/apd/v3 v3.2.1 // indirect
	go.yaml.in/yaml/v3 v3.0.6 // indirect
)
