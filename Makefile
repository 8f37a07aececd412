# Bandejo. Prerequisites: the .NET SDK and Node. Everything else is installed as needed.
SHELL := /bin/bash
.SHELLFLAGS := -eu -o pipefail -c
.DEFAULT_GOAL := build

OUT := out
ARCH := $(shell uname -m | sed 's/x86_64/x64/; s/aarch64/arm64/')
RID := linux-$(ARCH)
SOURCES := $(shell find src -name '*.cs' -o -name '*.csproj' -o -name '*.sql' -o -name '*.proto' 2>/dev/null | grep -v '/obj/') Directory.Build.props Directory.Packages.props
CONSOLE := $(shell find console -type f -not -path "*/node_modules/*" -not -path "*/dist/*" -not -name "schema.d.ts" -not -path "console/src/api/roles.ts" 2>/dev/null) docs/reference/openapi.json
# One compiler for all projects is twice as fast as one for each; it ends with the build. It lives too short to be worth watching how it runs, to compile
# itself better: with that a build keeps the processors busy for half as long again.
SHORTLY := DOTNET_TieredPGO=0 DOTNET_TC_CallCountThreshold=0x100
COMPILE := $(SHORTLY) dotnet build --no-restore -c Release --nologo -v quiet -p:UseSharedCompilation=true
PUBLISH := $(SHORTLY) dotnet publish --no-restore --no-build -c Release -r $(RID) --nologo -v quiet -p:PublishDir=
PROGRAMS := src/Bandejo.Server src/Bandejo.Agent.Linux src/Bandejo.Cli src/Bandejo.Fleet
# Ahead-of-time compilation needs a C linker; where it cannot be had, the programs are built the ordinary way.
AOT = $(shell command -v clang >/dev/null 2>&1 || command -v gcc >/dev/null 2>&1 && echo true || echo false)

# How a program is compiled: ahead of time, the same without making it fast, or the ordinary way.
native = $(if $(filter true,$(1)),--self-contained true,$(if $(filter quick,$(1)),--self-contained true $(QUICK),-p:PublishAot=false -p:PublishReadyToRun=$(2) --self-contained false))
QUICK := -p:Optimize=false -p:NativeDebugSymbols=false -p:StripSymbols=false

export DOTNET_CLI_TELEMETRY_OPTOUT := 1
export DOTNET_NOLOGO := 1

.PHONY: windows test-windows thorough compile-all test-prerequisites simulate inspect-real trial-real publish-service publish-agent publish-cli publish-fleet build test chaos bench reference example demo demo-reset screenshots clean prerequisites

build: $(OUT)/.built $(OUT)/.console ## The runnable programs in out/, and the console that the service serves

$(OUT)/.compiled: $(SOURCES)
	@$(MAKE) --no-print-directory prerequisites
	@mkdir -p $(OUT)/lib
	@# Restored in one way whatever is built, so that a build leaves the lock files as they are.
	dotnet restore Bandejo.slnx --nologo -v quiet
	@trap 'dotnet build-server shutdown --vbcscompiler >/dev/null' EXIT; for each in $(PROGRAMS); do echo "$(COMPILE) $$each"; $(COMPILE) $$each; done
	@touch $@

$(OUT)/.built: $(OUT)/.compiled
	@$(MAKE) --no-print-directory $(if $(findstring jobserver,$(MAKEFLAGS)),,-j2) publish-cli publish-agent publish-service publish-fleet
	@ln -sf lib/fleet/bandejo-fleet $(OUT)/bandejo-fleet
	@ln -sf lib/service/bandejo-service $(OUT)/bandejo-service
	@ln -sf lib/agent/bandejo-agent $(OUT)/bandejo-agent
	@ln -sf lib/cli/bandejo $(OUT)/bandejo
	@touch $@

publish-service:
	$(PUBLISH)$(CURDIR)/$(OUT)/lib/service/ --self-contained false src/Bandejo.Server

publish-agent:
	$(PUBLISH)$(CURDIR)/$(OUT)/lib/agent/ $(call native,$(AOT),true) src/Bandejo.Agent.Linux

publish-cli:
	$(PUBLISH)$(CURDIR)/$(OUT)/lib/cli/ $(call native,$(AOT),true) src/Bandejo.Cli

publish-fleet:
	$(PUBLISH)$(CURDIR)/$(OUT)/lib/fleet/ $(call native,$(filter true,$(AOT)),false) src/Bandejo.Fleet

# The agent for Windows, and what writes Windows Installer databases in tests. Nothing else needs the runtime for Windows, which is fetched for them alone;
# the lock files of the others stay as they are.
windows: ## The agent for Windows (x64) in out/lib/windows
	@$(MAKE) --no-print-directory prerequisites
	for each in src/Bandejo.Agent.Windows tests/Windows; do $(SHORTLY) dotnet publish $$each -c Release -r win-x64 --self-contained --nologo -v quiet -p:NuGetLockFilePath=obj/windows.lock.json -p:PublishDir=$(CURDIR)/$(OUT)/lib/windows/; done

test-windows: build windows ## The agent for Windows on a machine under Wine: as a service, installers, steps; alone, as it is in "make test"
	@build/prerequisites.sh windows
	@dotnet build tests/Wine -c Release --nologo -v quiet
	@tests/Wine/bin/Release/net10.0/Bandejo.Wine.Tests

console/node_modules/.installed: console/package-lock.json console/types/package-lock.json
	npm --prefix console ci --prefer-offline --no-audit --no-fund --silent
	npm --prefix console/types ci --prefer-offline --no-audit --no-fund --silent
	@touch $@

# Built beside the place it is served from, and put there whole: a service that runs meanwhile never serves half of it.
$(OUT)/.console: $(CONSOLE) console/node_modules/.installed
	npm --prefix console run --silent types >/dev/null
	BANDEJO_CONSOLE_OUT=$(CURDIR)/$(OUT)/lib/console-new npm --prefix console run --silent build >/dev/null
	@mkdir -p $(OUT)/lib/service && rm -rf $(OUT)/lib/service/console && mv $(OUT)/lib/console-new $(OUT)/lib/service/console
	@touch $@

prerequisites:
	@WITHOUT_LINKER=$(if $(filter command,$(firstword $(origin AOT))),$(filter false,$(AOT))) build/prerequisites.sh

# The tests start command line and agent over a thousand times, which pays for compiling them ahead of time, but not for making them fast.
test: ## Every test; ends with "N passed, N failed"
	@began=$$(date +%s); { $(MAKE) --no-print-directory -j3 compile-all console/node_modules/.installed test-prerequisites \
		&& $(MAKE) --no-print-directory -j3 build AOT=$(if $(filter true,$(AOT)),quick,$(AOT)) \
		&& { ! command -v wine >/dev/null || $(MAKE) --no-print-directory windows; }; } || { echo "The build failed."; echo "0 passed, 1 failed"; exit 1; }; BANDEJO_BEGAN=$$began build/test.sh

# Programs and tests in one go, in which each project is looked at once.
compile-all:
	@$(MAKE) --no-print-directory prerequisites
	@mkdir -p $(OUT)/lib
	dotnet restore Bandejo.slnx --nologo -v quiet
	@trap 'dotnet build-server shutdown --vbcscompiler >/dev/null' EXIT; echo "$(COMPILE) Bandejo.slnx"; $(COMPILE) Bandejo.slnx
	@touch $(OUT)/.compiled

test-prerequisites:
	@build/prerequisites.sh tests
	@build/prerequisites.sh windows || echo "Wine cannot be installed here: nothing is tried on Windows."

thorough: build ## What keeps the usual tests short, in full: each command of each guide page, all odd input in every field, 2,000 histories, ten minutes of chaos
	@dotnet build tests/System -c Release --nologo -v quiet
	@BANDEJO_THOROUGH=1 tests/System/bin/Release/net10.0/Bandejo.System.Tests -class "*GuideTests" -class "*EveryFieldTests"
	@$(MAKE) --no-print-directory simulate RUNS=2000
	@$(MAKE) --no-print-directory chaos

chaos: build ## Everything breaks at random while rollouts run; SECONDS=600 says how long, SEED=… which chaos
	@dotnet build tests/Chaos -c Release --nologo -v quiet
	@BANDEJO_CHAOS_SECONDS=$(or $(SECONDS),600) BANDEJO_CHAOS_SEED=$(or $(SEED),$$RANDOM) tests/Chaos/bin/Release/net10.0/Bandejo.Chaos.Tests

simulate: ## Random histories of fleet, service and people, on one thread and one clock; RUNS=10000 says how many, SEED=… from which on, TRACE=file writes down all that happens
	@$(MAKE) --no-print-directory prerequisites
	@dotnet build tests/Simulation -c Release --nologo -v quiet
	@$(if $(TRACE),BANDEJO_TRACE=$(abspath $(TRACE))) BANDEJO_RUNS=$(or $(RUNS),1000) $(if $(SEED),BANDEJO_SEED=$(SEED)) tests/Simulation/bin/Release/net10.0/Bandejo.Simulation.Tests -diagnostics

bench: build ## The table of bench/results.md, measured anew
	@bench/run.sh

inspect-real: build ## Inspects over 100 real installer files from the registries, and holds the bench against their own tools
	@node build/inspect-real.mjs

trial-real: build ## Drafts and tries twenty real Debian packages
	@build/trial-real.sh

example: build ## The main job once, unattended
	@demo/example.sh

# A demo needs nothing that is compiled ahead of time; what is built already serves as it is.
demo: ## The service on http://127.0.0.1:7410 with what there is to show
	@$(MAKE) --no-print-directory -j2 build AOT=false
	@demo/demo.sh

demo-reset: ## Forgets the data of the demo
	@rm -rf .data/demo && echo "The demo's data is gone."

reference: build ## The generated pages of docs/reference
	@build/reference.sh

screenshots: build ## Fresh pictures of console and commands in docs/screenshots
	@build/screenshots.sh

clean:
	rm -rf $(OUT) console/dist console/node_modules console/types/node_modules && find . -name bin -o -name obj | grep -v node_modules | xargs rm -rf
