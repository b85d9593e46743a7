.PHONY: start test visits lint bench screenshots build laws container attack

start: ## install what is missing, build, and serve the demo
	@FRESH=$(FRESH) ./scripts/start.sh

test: ## Go and browser tests
	@./scripts/test.sh

build: ## scripts, styles and the program
	@bash -c '. scripts/lib.sh; tools; build'

visits: ## 200 visits of 30 steps by shoppers made up by a seed, in the browser; about an hour
	@ROBOTS=$(or $(ROBOTS),200) STEPS=$(or $(STEPS),30) ATONCE=$(or $(ATONCE),2) ONLY=browser E2E_PART=robot E2E_ARGS="--retries 0" ./scripts/test.sh

lint: ## golangci-lint and Prettier
	@./scripts/lint.sh

laws: ## the laws over many random shops, an integer program, and fuzzing
	@./scripts/laws.sh

container: ## a container image, or what it would hold
	@./scripts/container.sh

attack: ## what misbehaving clients and a failing database do to it; minutes
	@./scripts/attack.sh

bench: ## one line per figure: name value unit
	@./scripts/bench.sh

screenshots: ## the pictures in docs/screenshots
	@./scripts/screenshots.sh
