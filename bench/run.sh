#!/usr/bin/env bash
# Measures everything and writes results.json and results.md beside this file. Takes about two and a half hours, most of it for two years of a large fleet
# (BANDEJO_BENCH_YEAR=100 makes them smaller); nothing else should run meanwhile.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
if ! command -v wrk >/dev/null; then apt-get update -qq && apt-get install -y -qq wrk >/dev/null; fi
dotnet build bench -c Release --nologo -v quiet
exec bench/bin/Release/net10.0/Bandejo.Bench
