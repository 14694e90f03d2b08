#!/bin/sh
# Checks the types of our own scripts, and rebuilds the committed style sheet and script from the lock file. Needs Node 20 or newer; nothing else does.
set -eu
cd "$(dirname "$0")"
npm ci --no-audit --no-fund --silent
npx tsc -p jsconfig.json
out=../src/lumenstat/web/static/dist
mkdir -p "$out"
npx tailwindcss --input lumenstat.css --output "$out/lumenstat.css" --minify 2>/dev/null
cp node_modules/@alpinejs/csp/dist/cdn.min.js "$out/alpine.csp.min.js"
