# --- file systems: looked at, and made larger or smaller --------------------------------------------------------------

# ask KIND VIEW: is the file system sound; nothing is written
ask() {
  case $1 in
    ext) e2fsck -fn "$2" > /dev/null 2>&1 || fail "the check of $now says that it is not sound; e2fsck mends it" ;;
    ntfs) ntfsresize --no-progress-bar --info "$2" > /dev/null || fail "the check of $now says that it is not sound; let Windows check it" ;;
  esac
}
# fit KIND VIEW BYTES: the file system gets that length
fit() {
  case $1 in
    ext)
      e2fsck -fp "$2" > /dev/null || [ $? -eq 1 ] || fail "e2fsck cannot make it sound"
      resize2fs "$2" $(($3 / 512))s > /dev/null 2>&1 || fail "resize2fs cannot give it that length"
      ;;
    ntfs)
      ntfsresize --force --force --no-progress-bar --size "$3" "$2" > /dev/null || fail "ntfsresize cannot give it that length"
      ;;
  esac
  flush "$2"
}
# fit_there DISK NUMBER KIND FROM OLD NEW: a row of a disk gets another length at its place
fit_there() {
  longest=$(($5 > $6 ? $5 : $6))
  if [ "$VIEWS" = yes ]; then
    view "$1" "$4" "$longest" write || fail "there is no loop device for it"
    fit "$3" "$VIEW" "$6"
    give_back
  else
    apart=$WORK/there-$2.img
    rm -f "$apart"
    bytes "$1" "$4" "$apart" 0 "$5" sparse
    stretch "$apart" "$longest"
    fit "$3" "$apart" "$6"
    bytes "$apart" 0 "$1" "$4" "$6"
    rm -f "$apart"
  fi
  flush "$1"
}
# ask_there DISK NUMBER KIND FROM LENGTH: a row of a disk is checked where it stands
ask_there() {
  if [ "$VIEWS" = yes ] && view "$1" "$4" "$5"; then
    ask "$3" "$VIEW"
    give_back
  elif [ "$3" = ext ]; then
    ask ext "$1?offset=$4"
  else
    say "  it cannot be checked where it stands; its copy is checked when it is resized"
  fi
}
# make_there NUMBER FROM LENGTH COMMAND: a row of the target is made new by it
make_there() {
  from=$2 long=$3 file=$WORK/there-$1.img
  shift 3
  if [ "$VIEWS" = yes ]; then
    view "$TARGET" "$from" "$long" write || fail "there is no loop device for it"
    "$@" "$VIEW" > /dev/null || fail "$1 failed"
    flush "$VIEW"
    give_back
  else
    stretch "$file" "$long"
    "$@" "$file" > /dev/null || fail "$1 failed"
    bytes "$file" 0 "$TARGET" "$from" "$long"
    rm -f "$file"
  fi
  flush "$TARGET"
}
# awake KIND VIEW NAME: it was closed, and may be carried as it stands; else it is refused
awake() {
  case $1 in
    ext)
      case $(dumpe2fs -h "$2" 2> /dev/null) in
        '') refuse "$3 cannot be read by dumpe2fs; it is not what was surveyed" ;;
        *needs_recovery*) refuse "$3 wants its journal: mount it once and unmount it" ;;
        *'Filesystem state:'*not\ clean* | *'Filesystem state:'*errors*) refuse "$3 was not closed or has errors: let e2fsck mend it" ;;
      esac
      ;;
    ntfs)
      code=0
      ntfs-3g.probe --readwrite "$2" > /dev/null 2>&1 || code=$?
      case $code in
        14) refuse "$3 sleeps (hibernation or fast start): start it and shut it down fully" ;;
        15) refuse "$3 was not closed: start it and shut it down" ;;
        13) refuse "$3 is not sound: let Windows check it" ;;
      esac
      case $(LC_ALL=C ntfsinfo -m -f "$2" 2> /dev/null) in
        '') refuse "$3 cannot be read by ntfsinfo; it is not what was surveyed" ;;
        *'Volume Flags: 0x'???[13579BDFbdf]*) refuse "$3 is marked for a check: let Windows check it" ;;
      esac
      ;;
  esac
}
