# --- what is in use of a file system: "start length" in bytes, a line each stretch ----------------------------------------

# ntfs_runs VIEW: by its own bitmap
ntfs_runs() {
  unit=$(number "$1" 13 1)
  [ "$unit" -le 128 ] || unit=$((1 << (256 - unit)))
  cluster=$(($(number "$1" 11 2) * unit))
  end=$((($(number "$1" 40 8) + 1) * $(number "$1" 11 2)))
  ntfscat -i 6 -f "$1" > "$KEEP/ylemorph-bitmap" 2> /dev/null && [ -s "$KEEP/ylemorph-bitmap" ] || return 1
  echo "$((end > 65536 ? end - 65536 : 0)) 65536"
  od -An -v -tu1 -w4096 "$KEEP/ylemorph-bitmap" | awk -v cluster="$cluster" '
    function run(stop) { if (from >= 0) printf "%.0f %.0f\n", from * cluster, (stop - from) * cluster; from = -1 }
    BEGIN { from = -1 }
    { for (i = 1; i <= NF; i++) {
        if ($i == 255) { if (from < 0) from = at }
        else if ($i == 0) run(at)
        else for (bit = 0; bit < 8; bit++) {
          if (int($i / 2 ^ bit) % 2) { if (from < 0) from = at + bit } else run(at + bit) }
        at += 8 } }
    END { run(at) }'
}
# ext_runs VIEW: all but the free blocks that its utility lists
ext_runs() {
  dumpe2fs "$1" 2> /dev/null > "$KEEP/ylemorph-bitmap" || return 1
  awk '
    function run(stop) { if (stop > from) printf "%.0f %.0f\n", from * block, (stop - from) * block }
    /^Block count:/ { blocks = $3 }
    /^Block size:/ { block = $3 }
    /^  Free blocks: [0-9]/ {
      count = split(substr($0, 16), parts, ", ")
      for (i = 1; i <= count; i++) {
        split(parts[i], ends, "-")
        run(ends[1])
        from = (ends[2] == "" ? ends[1] : ends[2]) + 1 } }
    END { run(blocks) }' "$KEEP/ylemorph-bitmap"
}
# joined LENGTH: stretches joined over small gaps, so that few processes start: over less than a MiB, or over less where
# that would carry a twentieth more than is used; the first and the last MiB always, so that no old mark stays there
joined() {
  { cat; echo "0 1048576"; echo "$(($1 > 1048576 ? $1 - 1048576 : 0)) 1048576"; } | sort -n | awk -v length_="$1" '
    { stop = $1 + $2
      if (stop > length_) stop = length_
      if (stop <= $1) next
      if (n && $1 <= stops[n]) { if (stop > stops[n]) stops[n] = stop }
      else { starts[++n] = $1; stops[n] = stop } }
    END {
      for (i = 1; i <= n; i++) used += stops[i] - starts[i]
      for (gap = 1048576; gap > 2048; gap /= 2) {
        more = 0
        for (i = 2; i <= n; i++) if (starts[i] - stops[i - 1] <= gap) more += starts[i] - stops[i - 1]
        if (more <= used / 20 + 4194304) break }
      for (i = 1; i <= n; i++) {
        if (i == 1 || starts[i] - stop > gap) {
          if (i > 1) printf "%.0f %.0f\n", from, stop - from
          from = starts[i] }
        stop = stops[i] }
      if (n) printf "%.0f %.0f\n", from, stop - from }'
}
# runs_at FAMILY DISK FROM LENGTH: what is in use there, in places of that disk; all of it where nobody can tell
runs_at() {
  if [ "$1" != whole ] && [ "$VIEWS" = yes ] && view "$2" "$3" "$4"; then
    "$1_runs" "$VIEW" > "$KEEP/ylemorph-raw" || fail "what is in use at byte $3 of $2 cannot be read"
    give_back
    joined "$4" < "$KEEP/ylemorph-raw" | awk -v at="$3" '{ printf "%.0f %.0f\n", $1 + at, $2 }'
  else
    echo "$3 $4"
  fi
}
