#!/bin/sh
# For cron: 15 3 * * * /srv/chains/nightly.sh
# Runs the chains, and mails what cron mails where one failed or where responses have another shape than the night before.
set -u
cd "$(dirname "$0")" || exit 2

# Secrets that the project file takes from variables, readable by this user only.
. ./secrets.sh

before=$(npx batharon history racks.chain.yaml --outcome passed --most 1 --json | node -p 'JSON.parse(require("fs").readFileSync(0))[0]?.run ?? ""')

npx batharon run . --env staging --tag nightly --trust --html nightly.html
outcome=$?

# Exits with 1 where the outcome or the shape of a response differs.
if [ "$outcome" -eq 0 ] && [ -n "$before" ]; then
  npx batharon compare "$before" last || outcome=1
fi
exit "$outcome"
