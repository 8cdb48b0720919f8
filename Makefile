# `make demo` and `make test` do everything on a fresh machine; the others are parts of them.
PROGRAM := target/release/ember-ridge
DEMO := .demo
WEB := $(shell find web/src web/public web/index.html web/receiver.html web/vite.config.ts -type f 2>/dev/null)

.PHONY: demo test fuzz load tools web check screenshots measure types bench samples clean

demo: $(PROGRAM)
	$(PROGRAM) serve --data $(DEMO) --samples --port 4680

# Lints are checked while the tests are built: clippy's driver stands in for the compiler, so that nothing is gone through twice.
LINTED := RUSTC_WORKSPACE_WRAPPER=clippy-driver CLIPPY_ARGS=-Dwarnings__CLIPPY_HACKERY__

test: tools web web/generator/node_modules/.package-lock.json
	@tools/need browser curl jq slurm
	cargo fmt --all --check
	cd web && npm run --silent check
	cd web/generator && npm run --silent check
	$(LINTED) cargo test --workspace

# Damages the corpus for an hour, shared by its eight targets; `make test` does so for two minutes. FUZZ_SEED=n begins elsewhere.
FUZZ_SEED := 1000000
fuzz: tools
	EMBER_RIDGE_FUZZ_SECONDS=450 EMBER_RIDGE_FUZZ_SEED=$(FUZZ_SEED) \
		cargo test --package ember-ridge-formats --test fuzz -- --nocapture --test-threads=1

# Twenty clients beside two finals for two minutes; prints answer times and memory.
load: tools web
	EMBER_RIDGE_LOAD_SECONDS=120 cargo test --package ember-ridge-cli --test clients -- --nocapture

# Rewrites the pictures in docs/screenshots from the demo's data.
screenshots: $(PROGRAM)
	@tools/need browser
	cargo build --bin screenshots
	EMBER_RIDGE_PROGRAM=$(PROGRAM) target/debug/screenshots

# Prints figures that only a real browser can give, from the full samples.
measure: $(PROGRAM)
	@tools/need browser
	cargo build --bin measure
	EMBER_RIDGE_PROGRAM=$(PROGRAM) target/debug/measure

# Rewrites the API's description in the web part, and the page's types from it. The page as it was built last will do: with stale types
# it cannot be built.
types: web/generator/node_modules/.package-lock.json
	@test -e web/dist/index.html || $(MAKE) web
	UPDATE_TYPES=1 cargo test --package ember-ridge-server --test server description::
	cd web/generator && npm run --silent types

bench:
	cargo bench --package ember-ridge-samples

samples: $(PROGRAM)
	for name in lookout-lantern boundary-stone; do $(PROGRAM) sample $$name --out samples; done

tools:
	@tools/need rust node

web: web/dist/index.html

# Not `npm ci`: it refuses a lock file made where a platform's optional packages could not be seen. Versions still come from it.
web/node_modules/.package-lock.json: web/package-lock.json | tools
	cd web && npm install --no-save --no-audit --no-fund
	@touch $@

web/generator/node_modules/.package-lock.json: web/generator/package-lock.json | tools
	cd web/generator && npm install --no-save --no-audit --no-fund
	@touch $@

web/dist/index.html: $(WEB) web/node_modules/.package-lock.json
	cd web && npm run --silent build

$(PROGRAM): web/dist/index.html $(shell find crates Cargo.toml Cargo.lock -type f 2>/dev/null) | tools
	cargo build --release --bin ember-ridge
	@touch $@

clean:
	rm -rf target web/dist web/node_modules web/generator/node_modules $(DEMO)
