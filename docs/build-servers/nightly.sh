#!/bin/sh
# For cron: 15 3 * * * /srv/chains/nightly.sh
# Cron mails what it prints; the exit code says whether a chain failed, or responses have another shape than the night before.
set -eu
cd "$(dirname "$0")"

# Secrets that the project file takes from variables, readable by this user only.
. ./secrets.sh

npx batharon check
npx batharon run . --env staging --tag nightly --trust --against passed --html nightly.html
npx batharon history --steps --since 7d
