# --- what is said, and kept: words, progress, log, journal ------------------------------------------------------------

now='before the first step' finished=no number=0 trouble='' teller='' LOOPS='' LAST=0 LOCKED=no STARTED=0 BUFFER=''

say() { printf '%s\n' "$*"; }
refuse() { now='refused, nothing was written' finished=yes; printf 'Refused: %s\n' "$*" >&2; exit 2; }
fail() { trouble=$*; printf 'Failed: %s\n' "$*" >&2; exit 1; }
# ended: whatever the reason, views are given back, and the exit status is one that the head of this file names
ended() {
  code=$?
  trap - EXIT INT TERM
  set +e
  give_back
  if [ "$finished" = no ]; then
    case $code in 130 | 143) trouble=${trouble:-stopped} ;; *) code=1 trouble=${trouble:-a command failed} ;; esac
    say "Stopped: $now. Nothing after that was done."
    [ "$number" -eq 0 ] || say "The same command with --resume goes on there."
    note failed 0 0 "$(($(date +%s) - STARTED))" "$trouble"
  fi
  tell_the_rest
  if [ -n "$BUFFER" ]; then
    rm -f "$BUFFER-0" "$BUFFER-1"
    case $BUFFER in /dev/shm/*) rmdir "${BUFFER%/part}" ;; esac
  fi
  if [ "$LOCKED" = yes ] && [ ! -e "$KEEP/ylemorph-journal" ]; then
    rm -f "$KEEP/ylemorph-lock"
    [ "$KEEP" != "$FILE.run" ] || rmdir "$KEEP" 2> /dev/null
  fi
  exit "$code"
}
# quotable TEXT: it as it may stand between the quotes of JSON
quotable() {
  case $1 in
    *[!A-Za-z0-9\ .,:%\(\)/-]*) printf '%s' "$1" | tr -d '\000-\037\177' | sed 's/[\\"]/\\&/g' ;;
    *) printf '%s' "$1" ;;
  esac
}
# note EVENT BYTES OF SECONDS TEXT [MORE]: one line of the log; MORE is JSON of its own
note() {
  [ -n "$LOG" ] || return 0
  about=null
  [ "$number" -eq 0 ] || about=$number
  printf '{"format": "ylemorph.log/1", "at": "%s", "event": "%s", "step": %s, "bytes": %s, "of": %s, "seconds": %s, "say": "%s"%s}\n' \
    "$(date -u +%Y-%m-%dT%H:%M:%SZ)" "$1" "$about" "$2" "$3" "$4" "$(quotable "$5")" "${6:-}" >> "$LOG" || :
}
# remember WORDS: a line of the journal, which is on the disk before anything else is done
remember() {
  printf '%s\n' "$* ." | dd of="$KEEP/ylemorph-journal" oflag=append conv=notrunc,fsync status=none ||
    fail "$KEEP/ylemorph-journal cannot be written"
}
# step NUMBER AGAIN TEXT: whether the step is to be done; AGAIN is where it begins anew when it is cut off
step() {
  [ "$1" -gt "$LAST" ] || return 1
  number=$1 now="step $1: $3" step_began=$(date +%s) carried=0
  say "Step $1 of $STEPS: $3"
  note step 0 0 0 "$3"
  remember "began $1 $2"
}
step_done() {
  remember "done $number"
  note 'done' "$carried" "$carried" "$(($(date +%s) - step_began))" "$now"
}
size() { if [ "$1" -lt 10737418240 ]; then echo "$(($1 / 1048576)) MiB"; else echo "$(($1 / 1073741824)) GiB"; fi; }
span() { if [ "$1" -lt 90 ]; then echo "$1 s"; else echo "$((($1 + 30) / 60)) min"; fi; }
# begin WORD OF: something begins whose progress is shown
begin() { shown_word=$1 shown_of=$2 shown_percent=0 shown_began=$(date +%s); }
# shown BYTES: how far it is; a line each ten percent where nobody sits at a terminal
shown() {
  percent=$((shown_of > 0 ? $1 * 100 / shown_of : 100))
  [ "$percent" -gt "$shown_percent" ] || return 0
  spent=$(($(date +%s) - shown_began))
  if [ -t 1 ] || [ $((percent / 10)) -gt $((shown_percent / 10)) ]; then
    text="$shown_word: $percent %, $(size "$1") of $(size "$shown_of"), $(span "$spent") so far"
    text="$text, $(span $((spent * (shown_of - $1) / ($1 > 0 ? $1 : 1)))) left"
    if [ -t 1 ]; then printf '\r  %-76s' "$text"; else say "  $text"; fi
    if [ -t 1 ] && [ "$percent" -eq 100 ]; then printf '\n'; fi
  fi
  note progress "$1" "$shown_of" "$spent" "$shown_word"
  shown_percent=$percent
}
# post: what comes in goes to the address that was told; SENT lines of the log were there before. What stands behind a #
# is the digest of the key by which the other side is known, where no authority vouches for it
post() {
  where="${TELL%%#*}?from=$SENT" pin=${TELL#*#}
  [ "$pin" != "$TELL" ] || pin=
  if command -v curl > /dev/null; then
    curl --silent --fail ${pin:+--insecure --pinnedpubkey "$pin"} --max-time 5 --output /dev/null --data-binary @- "$where"
  elif [ -z "$pin" ]; then
    cat > "$KEEP/ylemorph-told"
    wget -q -T 5 -O /dev/null --post-file="$KEEP/ylemorph-told" "$where"
  fi
}
# tell_on: sends what the log has that was not sent yet, by itself; nothing waits for it
tell_on() {
  SENT=0 tries=0
  while [ "$tries" -lt 60 ]; do
    sleep 1
    lines=$(wc -l < "$LOG")
    if [ "$lines" -gt "$((LOG_FROM + SENT))" ]; then
      if tail -n "+$((LOG_FROM + SENT + 1))" "$LOG" | head -n "$((lines - LOG_FROM - SENT))" | post 2> /dev/null; then
        SENT=$((lines - LOG_FROM)) tries=0
      else
        # Whoever answers with a refusal is asked a few times more, whoever does not answer for a minute.
        [ $? -ne 22 ] || tries=$((tries + 14))
        tries=$((tries + 1))
      fi
    elif [ -e "$KEEP/ylemorph-over" ]; then
      return 0
    fi
  done
}
# tell_the_rest: the last lines have a few seconds to arrive
tell_the_rest() {
  [ -n "$teller" ] || return 0
  : > "$KEEP/ylemorph-over"
  for _ in 1 2 3 4 5 6; do
    kill -0 "$teller" 2> /dev/null || break
    sleep 1
  done
  kill "$teller" 2> /dev/null
  rm -f "$KEEP/ylemorph-over" "$KEEP/ylemorph-told"
}
