#!/bin/sh
# Copies the day's calls and invoices to the archive.
set -eu

archive=${1:-/srv/archive}
day=$(date +%F)
target="$archive/$day"

mkdir -p "$target"
for table in call invoice tide; do
    sqlite3 harbour.db ".mode csv" "select * from $table" >"$target/$table.csv"
done

tar -C "$archive" -czf "$archive/$day.tar.gz" "$day"
rm -r "$target"

# Keep a month.
find "$archive" -name '*.tar.gz' -mtime +31 -delete
echo "archived $day"
