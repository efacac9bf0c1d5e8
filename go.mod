module eskadel

go 1.26.0

require (
	github.com/cockroachdb/apd/v3 v3.2.3
	github.com/jackc/pgx/v5 v5.12.0
	github.com/stretchr/testify v1.12.1
	golang.org/x/text v0.43.0
	pgregory.net/rapid v1.3.0
)

require (
	github.com/jackc/pgpassfile v1.0.0 // indirect
	github.com/jackc/pgservicefile v0.0.0-20240606120523-5a60cdf6a761 // indirect
	github.com/jackc/puddle/v2 v2.2.3 // indirect
	go.yaml.in/yaml/v3 v3.0.5 // indirect
	golang.org/x/sync v0.24.0 // indirect
)
