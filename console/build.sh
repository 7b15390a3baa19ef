#!/usr/bin/env bash
# Builds the console for the service: installs packages only when the lock file has changed.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")"
target=$1 goal=$2
stamp=node_modules/.installed
if ! cmp -s package-lock.json "$stamp"; then
  npm ci --no-audit --no-fund
  cp package-lock.json "$stamp"
fi
npm run --silent "$goal"
rm -rf "$target"
mkdir -p "$target/META-INF"
cp -r dist "$target/META-INF/resources"
