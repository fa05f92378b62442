#!/bin/bash
# Runs the browser tests in two parts side by side, each with a studio of its own:
# most of their time is waiting. Tells which took longest.
set -u
cd "$(dirname "$0")" || exit 1
dir=$(mktemp -d)
trap 'rm -rf "$dir"' EXIT
go test -c -o "$dir/tests" . && "$dir/tests" -test.list . >"$dir/list" || exit 1
parts=()
for part in 0 1; do
	run="^($(awk "NR % 2 == $part" "$dir/list" | paste -sd'|'))\$"
	"$dir/tests" -test.v -test.timeout 20m -test.run "$run" >"$dir/$part" 2>&1 &
	parts+=($!)
done
failed=0
for part in 0 1; do
	if ! wait "${parts[$part]}"; then
		failed=1
		cat "$dir/$part"
	fi
done
echo "The browser tests that took longest:"
sed -nE 's/^--- (PASS|FAIL): (\w+) \(([0-9.]+)s\)/\3 s  \2/p' "$dir/0" "$dir/1" | sort -rn | head
exit $failed
