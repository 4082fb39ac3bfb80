# --- before anything is written ---------------------------------------------------------------------------------------

# look_first: all that would speak against it; whoever is refused has lost nothing
look_first() {
  for tool in $TOOLS; do command -v "$tool" > /dev/null || refuse "$tool is missing; install it first"; done
  look_at_disk "$TARGET"
  [ -w "$TARGET" ] || refuse "$TARGET cannot be written; run this as root"
  if has_source; then
    look_at_disk "$SOURCE"
    ! same "$SOURCE" "$TARGET" || refuse "$SOURCE and $TARGET are the same disk"
  elif [ -z "$PLANNED_ID" ] && [ "$KEEPS_ID" = yes ]; then
    refuse "the source's identity is not known from its survey; give the source"
  fi
  if [ "$SECTOR" != 512 ] && { [ -f "$SOURCE" ] || [ -f "$TARGET" ]; }; then
    refuse "disks with sectors of $SECTOR bytes must be devices here, not files"
  fi
  [ -z "$STOPS" ] || refuse "$STOPS"
  ! has_source || look_at_source
  found=$(length "$TARGET")
  [ "$found" -eq "$TARGET_BYTES" ] || refuse "$TARGET has $found bytes, planned were $TARGET_BYTES"
  found=$(serial "$TARGET")
  if [ -n "$TARGET_SERIAL" ] && [ -n "$found" ] && [ "$found" != "$TARGET_SERIAL" ]; then
    refuse "$TARGET has the serial $found, planned was $TARGET_SERIAL"
  fi
  VIEWS=yes
  view "$TARGET" 0 1048576 || VIEWS=no
  give_back
  look_at_room
  if [ "$resume" = yes ]; then look_at_journal; else look_at_target; fi
  if has_source && { [ "$LAST" -eq 0 ] || [ "$SOURCE_CHANGES" = no ]; }; then look_at_rows "$SOURCE" "$ROWS"; fi
  [ "$resume" = yes ] || look_at_rows "$TARGET" "$KEPT"
}
# has_source: whether it was given; a way that copies nothing does without
has_source() { [ "$SOURCE" != - ]; }
look_at_disk() {
  [ -b "$1" ] || [ -f "$1" ] || refuse "$1 is neither a device nor a file"
  [ -r "$1" ] || refuse "$1 cannot be read; run this as root"
  if [ -b "$1" ] && [ -e "/sys/class/block/$(name_of "$1")/partition" ]; then refuse "$1 is a partition; give its whole disk"; fi
  if in_use "$1"; then refuse "$1 is in use: unmount it first"; fi
}
# look_at_source: it is the surveyed disk
look_at_source() {
  found=$(length "$SOURCE")
  [ "$found" -ge "$SOURCE_BYTES" ] || refuse "$SOURCE has $found bytes, surveyed were $SOURCE_BYTES"
  found=$(serial "$SOURCE")
  if [ -n "$SOURCE_SERIAL" ] && [ -n "$found" ] && [ "$found" != "$SOURCE_SERIAL" ]; then
    refuse "$SOURCE has the serial $found, surveyed was $SOURCE_SERIAL"
  fi
  count=0
  for row in $(rows "$SOURCE"); do
    case " $SOURCE_ROWS " in *" $row "*) count=$((count + 1)) ;; *) refuse "the table of $SOURCE is not the surveyed one" ;; esac
  done
  [ "$count" -eq "$SOURCE_COUNT" ] || refuse "the table of $SOURCE is not the surveyed one"
  found=$(identity "$SOURCE")
  [ -z "$SOURCE_ID" ] || [ "$found" = "$SOURCE_ID" ] || refuse "$SOURCE has the identity ${found:-of none}, surveyed was $SOURCE_ID"
}
# look_at_rows DISK ROWS: the file systems are the surveyed ones, and were closed
look_at_rows() {
  [ -n "$2" ] || return 0
  printf '%s\n' "$2" | while IFS=' ' read -r from long kind uuid name; do
    if [ "$uuid" != - ]; then
      found=$(known "$1" "$from" "$long" UUID)
      [ "$(signs "$found")" = "$uuid" ] || refuse "$name on $1 is another file system than the surveyed one"
    fi
    if [ "$kind" != other ] && [ "$VIEWS" = yes ] && view "$1" "$from" "$long"; then
      ( awake "$kind" "$VIEW" "$name" ) || { code=$?; give_back; exit "$code"; }
      give_back
    fi
  done || { finished=yes; exit 2; }
}
# look_at_target: what stands on it may go
look_at_target() {
  if [ "$FINISHES" = yes ]; then
    # What is finished must stand exactly as it was found: no word overrules that.
    [ "$(identity "$TARGET")" = "$HELD_ID" ] && [ "$(rows "$TARGET" | tr '\n' ' ')" = "$HELD_ROWS" ] ||
      refuse "$TARGET is no longer as it was found; read it again and plan from there"
    [ "$CONFIRMED" = no ] || return 0
  fi
  held=$(holds "$TARGET")
  [ -n "$held" ] || return 0
  text=$(confirmation "$TARGET")
  what="$TARGET holds $held"
  if [ -n "$SOURCE_ID" ] && [ "$(identity "$TARGET")" = "$SOURCE_ID" ]; then
    what="$what with the identity of the source: an earlier clone, or the two are exchanged"
  fi
  if [ -n "$overwrite" ]; then
    [ "$(signs "$overwrite")" = "$(signs "$text")" ] || refuse "$what; \"$overwrite\" does not confirm it"
  elif [ "$CONFIRMED" = yes ]; then
    [ "$(identity "$TARGET")" = "$HELD_ID" ] && [ "$(rows "$TARGET" | tr '\n' ' ')" = "$HELD_ROWS" ] ||
      refuse "$what, which is not what was confirmed; look at it, then give --overwrite $text"
  else
    refuse "$what; look at it, and if it may all go give --overwrite $text"
  fi
}
# look_at_room: the folder for work files
look_at_room() {
  need=$ROOM
  [ "$VIEWS" = yes ] || need=$ROOM_WHOLE
  if [ "$need" -gt 0 ] || [ -n "$WORK" ]; then
    [ -n "$WORK" ] || refuse "a folder for work files is needed: give it as the last argument"
    [ -d "$WORK" ] && [ -w "$WORK" ] || refuse "$WORK is no folder that can be written to"
    KEEP=$WORK
  else
    KEEP=$FILE.run
    mkdir "$KEEP" 2> /dev/null || [ "$(stat -c %F:%u -- "$KEEP" 2> /dev/null)" = "directory:$(id -u)" ] ||
      refuse "$KEEP cannot be made; give a folder for work files as the last argument"
  fi
  exec 9>> "$KEEP/ylemorph-lock"
  flock -n 9 || refuse "another run is at work in $KEEP"
  LOCKED=yes
  exec 8< "$TARGET"
  flock -w 5 8 || refuse "another run, or another program, works on $TARGET"
  # A journal without the target's new identity was cut off before anything was written.
  if [ -e "$KEEP/ylemorph-journal" ] && ! grep -q '^new .* \.$' "$KEEP/ylemorph-journal"; then rm -f "$KEEP/ylemorph-journal"; fi
  if [ "$resume" = yes ] && [ ! -e "$KEEP/ylemorph-journal" ]; then refuse "there is no run in $KEEP that could be gone on with"; fi
  for old in "$KEEP"/row-* "$KEEP"/there-* "$KEEP/source.img" "$KEEP/start.img" "$KEEP/ylemorph-journal"; do
    [ ! -e "$old" ] || [ "$resume" = yes ] ||
      refuse "$old is there already, of a run that was cut off: --resume goes on there; else give an empty folder"
  done
  [ "$resume" = no ] || return 0
  free=$(room_in "$KEEP")
  [ "$free" -ge "$need" ] || refuse "$KEEP has $((free / 1048576)) MiB free, $((need / 1048576 + 1)) are needed"
}
# room_in FOLDER: bytes that are free there
room_in() { echo $(($(df -Pk "$1" | while read -r _ _ _ free _; do echo "$free"; done | tail -n 1) * 1024)); }
# look_at_journal: what was cut off was this plan, between these disks; LAST is the last step that is not done again
look_at_journal() {
  grep -qx "plan $PLAN \\." "$KEEP/ylemorph-journal" || refuse "the run in $KEEP is of another plan"
  HELD=$(sed -n 's/^held \(.*\) \.$/\1/p' "$KEEP/ylemorph-journal" | tail -n 1)
  NEW_ID=$(sed -n 's/^new \(.*\) \.$/\1/p' "$KEEP/ylemorph-journal" | tail -n 1)
  what=$(sed -n 's/^\(began\|done\) \(.*\) \.$/\1 \2/p' "$KEEP/ylemorph-journal" | tail -n 1)
  # shellcheck disable=SC2086  # three words
  set -- ${what:-began 1 1}
  LAST=$2
  [ "$1" = "done" ] || LAST=$(($3 - 1))
  found=$(identity "$TARGET")
  if [ "$LAST" -ge "$TABLE_STEP" ]; then
    [ "$found" = "$NEW_ID" ] || refuse "$TARGET is not the disk of that run, or was changed since"
  else
    # Before its new table: as it was, blank, just written; a backup that is written back brings the source's identity.
    case $found in
      '' | "$NEW_ID" | "$HELD") ;;
      *) [ "$BRINGS_ID $found" = "yes $SOURCE_ID" ] || refuse "$TARGET is not the disk of that run, or was changed since" ;;
    esac
  fi
  for loop in $(! has_source || loops_over "$SOURCE") $(loops_over "$TARGET") $(loops_under "$KEEP"); do
    case "$loop" in "$(real "$SOURCE")" | "$(real "$TARGET")") ;; *) losetup --detach "$loop" 2> /dev/null || : ;; esac
  done
}
# new_identity: for the target's table, as the plan has it
new_identity() {
  if [ -n "$PLANNED_ID" ]; then
    echo "$PLANNED_ID"
  elif [ "$KEEPS_ID" = yes ]; then
    identity "$SOURCE"
  elif [ "$LABEL" = gpt ]; then
    cat /proc/sys/kernel/random/uuid
  else
    printf '0x%s\n' "$(od -An -N4 -tx4 /dev/urandom | tr -d ' ')"
  fi
}
# look_at_log FILE: a log is written to a file of its own, never to a disk or into something else that somebody keeps
look_at_log() {
  [ -e "$1" ] || return 0
  [ -f "$1" ] || refuse "$1 is no file that a log could be written to; give --log FILE"
  for disk in "$SOURCE" "$TARGET"; do [ "$disk" = - ] || ! same "$1" "$disk" || refuse "$1 is one of the disks; give --log FILE"; done
  [ ! -s "$1" ] || head -c 40 "$1" | grep -q ylemorph.log/1 || refuse "$1 is no log of such a script; give --log FILE"
}
# set_out: the log, and the journal's first lines
set_out() {
  look_at_log "${log:-$FILE.log}"
  LOG=${log:-$FILE.log} STARTED=$(date +%s)
  (: >> "$LOG") 2> /dev/null || { LOG=''; refuse "the log ${log:-$FILE.log} cannot be written; give --log FILE"; }
  # Of a run that is gone on with, all is told that was logged before.
  LOG_FROM=0
  [ "$resume" = yes ] || LOG_FROM=$(wc -l < "$LOG")
  note begin 0 0 0 "$TITLE" ", \"plan\": \"$PLAN\", \"steps\": $STEPS, \"resumed\": $([ "$resume" = yes ] && echo true || echo false)"
  if [ "$resume" = no ]; then
    NEW_ID=$(new_identity)
    clear_kept # of a run that was killed while it cleared
    : > "$KEEP/ylemorph-journal"
    remember "plan $PLAN"
    remember "held $(identity "$TARGET")"
    remember "new $NEW_ID"
  else
    say "Going on behind step $LAST."
  fi
  # What is on its way stands in memory, where there is a folder for that with room; what was cut off gives it back first.
  # shellcheck disable=SC2013  # names that mktemp gave, without blanks
  for old in $(sed -n 's/^buffer \(.*\) \.$/\1/p' "$KEEP/ylemorph-journal"); do
    case $old in /dev/shm/ylemorph.*) rm -f "$old/part-0" "$old/part-1"; rmdir "$old" 2> /dev/null || : ;; esac
  done
  BUFFER=$KEEP/ylemorph-part
  if [ -d /dev/shm ] && [ -w /dev/shm ] && [ "$(room_in /dev/shm)" -ge 268435456 ]; then
    BUFFER=$(mktemp -d /dev/shm/ylemorph.XXXXXX)/part
    remember "buffer ${BUFFER%/part}"
  fi
  if [ -n "$tell" ]; then
    TELL=$tell
    rm -f "$KEEP/ylemorph-over"
    tell_on > /dev/null 2>&1 8<&- 9>&- &
    teller=$!
  fi
}
# found_json: the finished disk, as sfdisk and blkid tell it
found_json() {
  printf ', "sfdisk": '
  sfdisk --json "$TARGET" | tr -d '\n'
  printf ', "blkid": ['
  comma=
  for row in $(rows "$TARGET"); do
    from=${row%%:*} long=${row##*:}
    printf '%s{"start": %s' "$comma" "$from"
    for what in TYPE VERSION UUID LABEL; do
      value=$(known "$TARGET" $((from * SECTOR)) $((long * SECTOR)) "$what")
      [ -z "$value" ] || printf ', "%s": "%s"' "$what" "$(quotable "$value")"
    done
    printf '}'
    comma=', '
  done
  printf ']'
}
# clear_kept: what steps kept for going on, beside the journal
clear_kept() {
  rm -f "$KEEP/ylemorph-runs" "$KEEP/ylemorph-raw" "$KEEP/ylemorph-bitmap" "$KEEP/ylemorph-pieces" "$KEEP/ylemorph-batches" "$KEEP"/ylemorph-batch-* \
    "$KEEP/ylemorph-sums" "$KEEP"/ylemorph-sum-* "$KEEP/ylemorph-loader" "$KEEP"/ylemorph-move-* "$KEEP"/ylemorph-moved-* "$KEEP"/ylemorph-staged*
}
# finish STATUS TEXT: the end; what was kept for going on is not needed any more
finish() {
  number=0
  note end 0 0 "$(($(date +%s) - STARTED))" "$2"
  note found "$TARGET_BYTES" "$TARGET_BYTES" "$(($(date +%s) - STARTED))" "$2" "$(found_json)"
  rm -f "$KEEP/ylemorph-journal" "$KEEP/ylemorph-lock"
  clear_kept
  say "$2"
  finished=yes
  exit "$1"
}
