#!/bin/sh
# Everything in a folder whose name is Latin-1, given from outside of it and from within: not_utf8.sh HEMLINE-CLI FOLDER CASES
set -e
cli=$1 out=$2/$(printf 'caf\351')
held() { "$@" || [ $? -eq 3 ]; }
mkdir "$out"
cp -r "$3/." "$out"
cd "$2"
"$cli" new --part "$out/plate.stl" --unit mm --cusp 0.02 --out outside.hemline
grep -q 'file:.*caf%E9/plate.stl' outside.hemline
held "$cli" run outside.hemline --steps 1 --out o1
grep -q facet_error o1/report.json
held "$cli" run "$out/jobs/p.hemline" --out "$out/out"
held "$cli" check "$out/out"
test -s "$out/out/report.json"
"$cli" report "$out/models/u_inch.3mf"
held "$cli" prove --part "$out/plate.stl" --unit mm --cl "$out/s3.cl" --cutter "ball 8" --out "$out/proved"
test -s "$out/proved/report.json"
rm -r "$out"
