# --- bytes: carried, read back, moved ---------------------------------------------------------------------------------

# bytes IN FROM OUT TO LENGTH [conv]: LENGTH bytes of IN at FROM into OUT at TO
bytes() {
  dd if="$1" of="$3" bs=1M skip="$2" seek="$4" count="$5" status=none \
    iflag=skip_bytes,count_bytes,fullblock oflag=seek_bytes conv="notrunc,fsync${6:+,$6}" || fail "$3 cannot be written"
}
# stretch FILE LENGTH: the file ends there, longer or shorter
stretch() { dd if=/dev/null of="$1" bs=1 count=0 seek="$2" status=none || fail "$1 cannot be written"; }
# blank DISK FROM LENGTH
blank() { bytes /dev/zero 0 "$1" "$2" "$3"; }
# empty FILE: a file that stands for a disk becomes blank, so that copies into it stay sparse; cut off, it is as it was
empty() {
  if [ -f "$1" ]; then
    new=$(mktemp "$(real "$1").XXXXXX") || fail "no file can be made beside $1"
    chmod --reference="$(real "$1")" "$new"
    stretch "$new" "$TARGET_BYTES"
    mv -f "$new" "$(real "$1")"
  fi
}
# take FILE SHIFT LIST: the stretches of a list, one after the other
take() {
  while read -r start piece; do
    dd if="$1" bs=1M skip=$((start + $2)) count="$piece" iflag=skip_bytes,count_bytes,fullblock status=none || return 1
  done < "$3"
}
# give FILE SHIFT LIST CONV: what comes in goes to the places of a list
give() {
  while read -r start piece <&5; do
    dd of="$1" bs=1M seek=$((start + $2)) count="$piece" iflag=count_bytes,fullblock oflag=seek_bytes conv="$4" \
      status=none || return 1
  done 5< "$3"
}
# load SIDE IN FIRST LAST LENGTH: a batch from the source into memory, on one of two sides, with the sum of what was read
load() {
  sed -n "$3,$4p" "$KEEP/ylemorph-pieces" > "$KEEP/ylemorph-batch-$1" || return 1
  take "$2" 0 "$KEEP/ylemorph-batch-$1" > "$BUFFER-$1" || return 1
  cksum < "$BUFFER-$1" > "$KEEP/ylemorph-sum-$1" || return 1
  read -r _ taken < "$KEEP/ylemorph-sum-$1"
  [ "$taken" = "$5" ] || return 2
}
unread() { if [ "$1" -eq 2 ]; then fail "$2 ends early"; else fail "$2 cannot be read"; fi; }
# store SIDE OUT SHIFT CONV: it goes to its place; SUM is that of what was read
store() {
  (give "$2" "$3" "$KEEP/ylemorph-batch-$1" "$4") < "$BUFFER-$1" || fail "$2 cannot be written"
  read -r SUM _ < "$KEEP/ylemorph-sum-$1"
}
# back SIDE OUT SHIFT SUM LENGTH: the batch, as it stands on OUT, is what was read
back() {
  got=$(take "$2" "$3" "$KEEP/ylemorph-batch-$1" | cksum)
  read -r start _ < "$KEEP/ylemorph-batch-$1"
  [ "$got" = "$4 $5" ] ||
    fail "what was written to $2 from byte $((start + $3)) on reads back as something else: the disk or its cable is bad"
}
# pieces RUNS MOST SPAN DOWN: "first last bytes" of each batch of lines, MOST bytes of each line and of a batch, SPAN from
# its first byte to its last; the lines are in the file pieces, the last first where DOWN is 1
pieces() {
  awk -v most="$2" -v span="$3" -v down="$4" -v file="$KEEP/ylemorph-pieces" '
    BEGIN { printf "" > file }
    { for (at = 0; at < $2; at += most) { starts[++n] = $1 + at; longs[n] = $2 - at < most ? $2 - at : most } }
    END {
      for (k = 1; k <= n; k++) {
        i = down ? n + 1 - k : k
        low = down ? starts[i] : (first ? low : starts[i])
        high = down ? (first ? high : starts[i] + longs[i]) : starts[i] + longs[i]
        if (first && (total + longs[i] > most || high - low > span)) {
          print first, k - 1, sprintf("%.0f", total)
          first = 0; total = 0; low = starts[i]; high = starts[i] + longs[i] }
        if (!first) first = k
        total += longs[i]
        printf "%.0f %.0f\n", starts[i], longs[i] > file }
      if (first) print first, n, sprintf("%.0f", total) }' "$1"
}
total() { awk '{ sum += $2 } END { printf "%.0f", sum }' "$1"; }
# carry IN OUT SHIFT [sparse]: the stretches in the file runs, SHIFT further on, the next batch read while one is written;
# then they are read back
carry() {
  of=$(total "$KEEP/ylemorph-runs") at=0 flushed=0 side=0
  most=$((of / 20 < 4194304 ? 4194304 : of / 20 > 67108864 ? 67108864 : of / 20))
  pieces "$KEEP/ylemorph-runs" "$most" 1000000000000000 0 > "$KEEP/ylemorph-batches"
  : > "$KEEP/ylemorph-sums"
  begin copied "$of"
  exec 6< "$KEEP/ylemorph-batches"
  read -r first last long <&6
  load "$side" "$1" "$first" "$last" "$long" || unread $? "$1"
  while [ -n "$first" ]; do
    next_first=''
    if read -r next_first next_last next_long <&6; then
      load $((1 - side)) "$1" "$next_first" "$next_last" "$next_long" &
      loading=$!
    fi
    store "$side" "$2" "$3" "notrunc${4:+,$4}"
    echo "$first $last $long $SUM" >> "$KEEP/ylemorph-sums"
    at=$((at + long))
    if [ $((at - flushed)) -ge 1073741824 ] || [ "$at" -eq "$of" ]; then
      flush "$2"
      flushed=$at
    fi
    shown "$at"
    if [ -n "$next_first" ]; then
      wait "$loading" || unread $? "$1"
      last=$next_last long=$next_long side=$((1 - side))
    fi
    first=$next_first
  done
  exec 6<&-
  carried=$((carried + at))
  [ "$VERIFY" = no ] || read_back "$2" "$3"
}
# read_back OUT SHIFT: what was written is there
read_back() {
  forget "$1"
  at=0
  begin 'read back' "$of"
  while read -r first last long sum <&6; do
    sed -n "${first},${last}p" "$KEEP/ylemorph-pieces" > "$KEEP/ylemorph-batch-0"
    back 0 "$1" "$2" "$sum" "$long"
    at=$((at + long))
    shown "$at"
  done 6< "$KEEP/ylemorph-sums"
}
# rescue LENGTH: the whole source into an image, past read errors
rescue() {
  at=0
  begin copied "$1"
  while [ "$at" -lt "$1" ]; do
    long=$(($1 - at < 268435456 ? $1 - at : 268435456))
    dd if="$SOURCE" of="$WORK/source.img" bs=64K skip="$at" seek="$at" count="$long" status=none \
      iflag=skip_bytes,count_bytes oflag=seek_bytes conv=notrunc,noerror,sync,sparse || fail "$WORK/source.img cannot be written"
    at=$((at + long))
    shown "$at"
  done
  stretch "$WORK/source.img" "$1"
  flush "$WORK/source.img"
  carried=$1
}
# copy_row FAMILY FROM LENGTH TO: a row of the source to its place
copy_row() {
  runs_at "$1" "$SOURCE" "$2" "$3" > "$KEEP/ylemorph-runs"
  carry "$SOURCE" "$TARGET" $(($4 - $2))
}
# into_file NUMBER FAMILY DISK FROM LENGTH: a row into a file of its own, which takes what is used
into_file() {
  rm -f "$WORK/row-$1.img" "$WORK/row-$1.part"
  runs_at "$2" "$3" "$4" "$5" > "$KEEP/ylemorph-runs"
  stretch "$WORK/row-$1.part" "$5"
  carry "$3" "$WORK/row-$1.part" "-$4" sparse
  mv "$WORK/row-$1.part" "$WORK/row-$1.img"
}
# out_of_file NUMBER FAMILY LENGTH TO: it to its place on the target
out_of_file() {
  stretch "$WORK/row-$1.img" "$3"
  runs_at "$2" "$WORK/row-$1.img" 0 "$3" > "$KEEP/ylemorph-runs"
  carry "$WORK/row-$1.img" "$TARGET" "$4"
}
# slide FAMILY FROM TO LENGTH: a row of the target moves. What is written at once is never longer than the way that
# it goes, so that nothing is written over what is not yet whole at its new place; where the way is short, it stands in a
# file first. How far the step is, is kept, so that one that was cut off goes on where it was; a
# row may move twice
slide() {
  way=$(($3 > $2 ? $3 - $2 : $2 - $3)) shifted=$(($3 - $2)) at=0
  if [ ! -e "$KEEP/ylemorph-move-$number" ]; then
    runs_at "$1" "$TARGET" "$2" "$4" > "$KEEP/ylemorph-move.new"
    : > "$KEEP/ylemorph-moved-$number"
    flush "$KEEP/ylemorph-move.new"
    mv "$KEEP/ylemorph-move.new" "$KEEP/ylemorph-move-$number"
    sync "$KEEP"
  fi
  before=$(sed -n 's/^\([0-9][0-9]*\) \.$/\1/p' "$KEEP/ylemorph-moved-$number" | tail -n 1)
  of=$(total "$KEEP/ylemorph-move-$number")
  most=67108864
  if [ "$way" -ge 16777216 ]; then most=$((way < most ? way : most)); fi
  pieces "$KEEP/ylemorph-move-$number" "$most" "$most" $(($3 > $2)) > "$KEEP/ylemorph-batches"
  begin moved "$of"
  while read -r first last long <&6; do
    at=$((at + long))
    [ "$last" -gt "${before:-0}" ] || continue
    if [ "$way" -ge "$most" ]; then
      load 0 "$TARGET" "$first" "$last" "$long" || unread $? "$TARGET"
      store 0 "$TARGET" "$shifted" notrunc
    else
      through_file "$first" "$last" "$shifted" "$long"
    fi
    flush "$TARGET"
    if [ "$VERIFY" = yes ]; then
      forget "$TARGET"
      back 0 "$TARGET" "$shifted" "$SUM" "$long"
    fi
    printf '%s\n' "$last ." | dd of="$KEEP/ylemorph-moved-$number" oflag=append conv=notrunc,fsync status=none ||
      fail "$KEEP/ylemorph-moved-$number cannot be written"
    rm -f "$KEEP/ylemorph-staged-$last"
    shown "$at"
  done 6< "$KEEP/ylemorph-batches"
  carried=$((carried + of))
}
# through_file FIRST LAST SHIFT LENGTH: the batch of the target stands whole in a file of the work folder before its old
# place is written over; where it stands there already, the old place is not read again
through_file() {
  staged=$KEEP/ylemorph-staged-$2
  sed -n "$1,$2p" "$KEEP/ylemorph-pieces" > "$KEEP/ylemorph-batch-0"
  if [ ! -e "$staged" ]; then
    (take "$TARGET" 0 "$KEEP/ylemorph-batch-0") > "$KEEP/ylemorph-staged.new" || fail "$TARGET cannot be read"
    [ "$(wc -c < "$KEEP/ylemorph-staged.new")" -eq "$4" ] || fail "$TARGET ends early"
    flush "$KEEP/ylemorph-staged.new"
    mv "$KEEP/ylemorph-staged.new" "$staged"
    sync "$KEEP"
  fi
  cksum < "$staged" > "$KEEP/ylemorph-sum-0"
  read -r SUM _ < "$KEEP/ylemorph-sum-0"
  (give "$TARGET" "$3" "$KEEP/ylemorph-batch-0" notrunc) < "$staged" || fail "$TARGET cannot be written"
}
# pack WHERE NUMBER FAMILY FROM OLD TO NEW: a row of the source to its place, made smaller on its way: there, where the
# target has room for its old length for a while, or apart, in a work file
pack() {
  if [ "$1" = there ] && [ "$VIEWS" = yes ]; then
    copy_row "$3" "$4" "$5" "$6"
    fit_there "$TARGET" "$2" "$3" "$6" "$5" "$7"
  else
    into_file "$2" "$3" "$SOURCE" "$4" "$5"
    fit "$3" "$WORK/row-$2.img" "$7"
    out_of_file "$2" "$3" "$7" "$6"
    rm -f "$WORK/row-$2.img"
  fi
}
# write_table WIPE: the target's table, as it comes in, with the identity that it was given
write_table() {
  { printf 'label: %s\n' "$LABEL"; [ -z "$NEW_ID" ] || printf 'label-id: %s\n' "$NEW_ID"; cat; } |
    sfdisk --quiet --wipe "$1" --wipe-partitions never "$TARGET" || fail "the table of $TARGET cannot be written"
  flush "$TARGET"
}
