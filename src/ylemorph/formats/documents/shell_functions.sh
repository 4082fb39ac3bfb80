# --- what the steps are made of ---------------------------------------------------------------------------------------

now='before the first step'
finished=no
ended() {
  code=$?
  [ "$finished" = yes ] || say "Stopped: $now. Nothing after that was done."
  exit "$code"
}
say() { printf '%s\n' "$*"; }
refuse() { now="refused, nothing was written"; finished=yes; printf 'Refused: %s\n' "$*" >&2; exit 2; }
step() { now="step $1: $2"; say "Step $1 of $STEPS: $2"; }

# bytes IN FROM OUT TO LENGTH [conv]: LENGTH bytes of IN at FROM into OUT at TO
bytes() {
  dd if="$1" of="$3" bs=4M skip="$2" seek="$4" count="$5" status=none \
    iflag=skip_bytes,count_bytes,fullblock oflag=seek_bytes conv="notrunc${6:+,$6}"
}
# stretch FILE LENGTH: the file ends there, longer or shorter
stretch() { dd if=/dev/null of="$1" bs=1 count=0 seek="$2" status=none; }
real() { readlink -f -- "$1"; }
# length FILE-OR-DEVICE: its bytes
length() {
  if [ -b "$1" ]; then
    read -r units < "/sys/class/block/$(basename "$(real "$1")")/size"
    echo $((units * 512))
  else
    wc -c < "$1"
  fi
}
# in_use FILE-OR-DEVICE: whether it, a partition of it, or a loop over it is mounted or swapped to, or held by another
# device (a volume group, an array, an opened crypt)
in_use() {
  own=$(real "$1")
  users=$own
  if [ -b "$1" ]; then
    for holder in "/sys/class/block/${own##*/}/holders"/* "/sys/class/block/${own##*/}"/*/holders/*; do
      [ ! -e "$holder" ] || return 0
    done
  fi
  for backing in /sys/class/block/loop*/loop/backing_file; do
    [ -r "$backing" ] || continue
    read -r file < "$backing" || continue
    loop=${backing#/sys/class/block/}
    [ "$file" != "$own" ] || users="$users /dev/${loop%%/*}"
  done
  for list in /proc/mounts /proc/swaps; do
    while read -r device _; do
      for user in $users; do
        case $device in "$user" | "$user"[0-9]* | "$user"p[0-9]*) return 0 ;; esac
      done
    done < "$list"
  done
  return 1
}
# serial DEVICE: what it reports of itself; empty where that is not known
serial() { if command -v lsblk > /dev/null; then lsblk -dno SERIAL "$(real "$1")" 2> /dev/null || :; fi; }
# rows DISK: "start:sectors" of every partition but an extended one
rows() {
  sfdisk --dump "$1" 2> /dev/null | while IFS= read -r line; do
    case $line in *"start="*) ;; *) continue ;; esac
    case "$line," in *"type=5,"* | *"type=f,"* | *"type=85,"*) continue ;; esac
    start=${line#*start=}
    size=${line#*size=}
    start=${start%%,*}
    size=${size%%,*}
    echo "${start##* }:${size##* }"
  done
}
# node DISK NUMBER: the partition's own device
node() {
  disk=$(real "$1")
  case $disk in *[0-9]) echo "${disk}p$2" ;; *) echo "$disk$2" ;; esac
}
# there DISK NUMBER: its name, once it is there
there() {
  name=$(node "$1" "$2")
  for _ in 1 2 3 4 5 6 7 8 9 10; do
    if [ -b "$name" ]; then echo "$name"; return 0; fi
    sleep 1
  done
  say "$name does not appear" >&2
  return 1
}
# apart DISK: whether its partitions have devices of their own; a file's have none, and some kernels make none
apart() { [ -b "$1" ] && [ "$NODES" = yes ]; }
# seen DISK: the kernel reads its table again
seen() { if [ -b "$1" ]; then table=$(sfdisk --dump "$1") && printf '%s\n' "$table" | sfdisk --quiet "$1"; fi; }

# ask KIND FILE: is the file system sound; nothing is written
ask() {
  case $1 in
    ext) e2fsck -fn "$2" > /dev/null || return 1 ;;
    ntfs) ntfsresize --force --no-progress-bar --info "$2" > /dev/null ;;
  esac
}
# fit KIND FILE BYTES: the file system gets that length
fit() {
  case $1 in
    ext) e2fsck -fp "$2" > /dev/null || [ $? -eq 1 ]; resize2fs "$2" $(($3 / 512))s > /dev/null ;;
    ntfs) ntfsresize --force --force --no-progress-bar --size "$3" "$2" > /dev/null ;;
  esac
}
# fit_there DISK NUMBER KIND FROM OLD NEW: a row of a disk gets another length at its place
fit_there() {
  if apart "$1"; then
    part=$(there "$1" "$2")
    fit "$3" "$part" "$6"
  else
    bytes "$1" "$4" "$WORK/row-$2.img" 0 "$5" sparse
    stretch "$WORK/row-$2.img" "$(($5 > $6 ? $5 : $6))"
    fit "$3" "$WORK/row-$2.img" "$6"
    bytes "$WORK/row-$2.img" 0 "$1" "$4" "$6"
    rm -f "$WORK/row-$2.img"
  fi
}
# ask_there DISK NUMBER KIND FROM: a row of a disk is checked where it stands
ask_there() {
  if apart "$1"; then
    part=$(there "$1" "$2")
    ask "$3" "$part"
  elif [ "$3" = ext ]; then
    ask ext "$1?offset=$4"
  else
    say "  it cannot be checked where it stands; its copy is checked when it is resized"
  fi
}
# work_file NUMBER FROM LENGTH: the row in a file of its own, out of the image where it is not there yet
work_file() {
  [ -e "$WORK/row-$1.img" ] || bytes "$WORK/source.img" "$2" "$WORK/row-$1.img" 0 "$3" sparse
  stretch "$WORK/row-$1.img" "$3"
}
# slide FROM TO LENGTH: bytes of the target move, from the side on which nothing is written over unread
slide() {
  if [ "$2" -lt "$1" ]; then
    bytes "$TARGET" "$1" "$TARGET" "$2" "$3"
  else
    left=$3
    while [ "$left" -gt 0 ]; do
      part=$((left < 67108864 ? left : 67108864))
      left=$((left - part))
      dd if="$TARGET" of="$TARGET" bs=$part count=1 skip=$(($1 + left)) seek=$(($2 + left)) status=none \
        iflag=skip_bytes,fullblock oflag=seek_bytes conv=notrunc
    done
  fi
}
# empty FILE: a file that stands for a disk becomes blank, so that copies into it stay sparse; cut off, it is as it was
empty() {
  if [ -f "$1" ]; then
    blank=$(real "$1").blank
    : > "$blank"
    stretch "$blank" "$TARGET_BYTES"
    mv -f "$blank" "$(real "$1")"
  fi
}
# to_target IN FROM TO LENGTH
to_target() { if [ -f "$TARGET" ]; then bytes "$1" "$2" "$TARGET" "$3" "$4" sparse; else bytes "$1" "$2" "$TARGET" "$3" "$4"; fi; }

# number FILE AT BYTES: the little-endian number that stands there
number() {
  value=0 scale=1
  for byte in $(dd if="$1" bs=1 skip="$2" count="$3" status=none | od -An -v -tu1); do
    value=$((value + byte * scale))
    scale=$((scale * 256))
  done
  echo "$value"
}
# octal NUMBER BYTES: it as printf takes it, little-endian
octal() {
  left=$1 count=$2
  while [ "$count" -gt 0 ]; do
    printf '\\%03o' $((left & 255))
    left=$((left >> 8)) count=$((count - 1))
  done
}
# put FILE AT TEXT: the bytes that TEXT names for printf
# shellcheck disable=SC2059  # the text is octal numbers only
put() { printf "$3" | dd of="$1" bs=64K seek="$2" oflag=seek_bytes conv=notrunc status=none; }
# put_number FILE AT BYTES NUMBER
put_number() { put "$1" "$2" "$(octal "$4" "$3")"; }
# rename_start KIND DISK AT OLD NEW: the boot sector of the row at byte AT, and its copy, name NEW as its first sector
# where they name OLD; what names another place, or is no boot sector, is left alone
rename_start() {
  field=28 bytes=4
  [ "$1" != exfat ] || field=64 bytes=8
  [ "$(number "$2" $(($3 + field)) $bytes)" = "$4" ] && [ "$(number "$2" $(($3 + 510)) 2)" = 43605 ] || return 0
  unit=$(number "$2" $(($3 + 11)) 2)
  case $1 in
    fat16) copy=0 ;;
    fat32) copy=$(($(number "$2" $(($3 + 50)) 2) * unit)) ;;
    ntfs) copy=$(($(number "$2" $(($3 + 40)) 8) * unit)) ;;
    exfat) unit=$((1 << $(number "$2" $(($3 + 108)) 1))) copy=$((12 * unit)) ;;
  esac
  for region in 0 "$copy"; do
    [ "$(number "$2" $(($3 + region + 510)) 2)" = 43605 ] || continue
    [ "$(number "$2" $(($3 + region + field)) $bytes)" = "$4" ] || continue
    put_number "$2" $(($3 + region + field)) $bytes "$5"
    [ "$1" != exfat ] || sum_boot "$2" $(($3 + region)) "$unit"
  done
}
# sum_boot DISK AT UNIT: the sum over an exFAT boot region of eleven sectors, all over the twelfth
sum_boot() {
  sum=$(dd if="$1" bs="$3" skip="$2" count=11 iflag=skip_bytes status=none | od -An -v -tu1 | awk '
    { for (i = 1; i <= NF; i++) {
        if (at != 106 && at != 107 && at != 112) sum = (sum % 2) * 2147483648 + int(sum / 2) + $i
        if (sum >= 4294967296) sum -= 4294967296
        at++ } }
    END { printf "%.0f", sum }')
  text=$(octal "$sum" 4) long=4
  while [ "$long" -lt "$3" ]; do text="$text$text" long=$((long * 2)); done
  put "$1" $(($2 + 11 * $3)) "$text"
}
# rename_loader DISK AT OLD NEW: the first sector and the loader's own list, in the row at byte AT, name its new place;
# where they do not both name the old one, it is another loader and left alone
rename_loader() {
  [ "$(number "$1" 92 8)" = "$3" ] && [ "$(number "$1" $(($2 + 500)) 8)" = $(($3 + 1)) ] || return 0
  put_number "$1" 92 8 "$4"
  entry=$(($2 + 500))
  while [ "$entry" -gt "$2" ] && [ "$(number "$1" $((entry + 8)) 2)" != 0 ]; do
    first=$(number "$1" "$entry" 8)
    [ "$first" -lt "$3" ] || put_number "$1" "$entry" 8 $((first - $3 + $4))
    entry=$((entry - 12))
  done
}

# --- before anything is written ---------------------------------------------------------------------------------------

look_first() {
  for tool in $TOOLS; do command -v "$tool" > /dev/null || refuse "$tool is missing; install it first"; done
  for disk in "$SOURCE" "$TARGET"; do
    [ -b "$disk" ] || [ -f "$disk" ] || refuse "$disk is neither a device nor a file"
    [ -r "$disk" ] || refuse "$disk cannot be read; run this as root"
    if in_use "$disk"; then refuse "$disk is in use: unmount it first"; fi
  done
  [ -w "$TARGET" ] || refuse "$TARGET cannot be written; run this as root"
  [ "$(real "$SOURCE")" != "$(real "$TARGET")" ] || refuse "source and target are the same disk"
  if [ "$SECTOR" != 512 ] && { [ -f "$SOURCE" ] || [ -f "$TARGET" ]; }; then
    refuse "disks with sectors of $SECTOR bytes must be devices here, not files"
  fi
  found=$(length "$TARGET")
  [ "$found" -eq "$TARGET_BYTES" ] || refuse "$TARGET has $found bytes, planned were $TARGET_BYTES"
  found=$(length "$SOURCE")
  [ "$found" -ge "$SOURCE_BYTES" ] || refuse "$SOURCE has $found bytes, surveyed were $SOURCE_BYTES"
  found=$(serial "$TARGET")
  if [ -b "$TARGET" ] && [ -n "$TARGET_SERIAL" ] && [ -n "$found" ] && [ "$found" != "$TARGET_SERIAL" ]; then
    refuse "$TARGET has the serial $found, planned was $TARGET_SERIAL"
  fi
  count=0
  for row in $(rows "$SOURCE"); do
    case " $SOURCE_ROWS " in *" $row "*) count=$((count + 1)) ;; *) refuse "the table of $SOURCE is not the surveyed one" ;; esac
  done
  [ "$count" -eq "$SOURCE_COUNT" ] || refuse "the table of $SOURCE is not the surveyed one"
  NODES=yes
  if [ -b "$SOURCE" ] && [ ! -b "$(node "$SOURCE" "$FIRST_ROW")" ]; then NODES=no; fi
  need=$ROOM_DEVICE
  { apart "$TARGET" && apart "$SOURCE"; } || need=$ROOM_FILE
  if [ "$need" -gt 0 ]; then
    [ -n "$WORK" ] || refuse "a folder for work files is needed: give it as the last argument"
    [ -d "$WORK" ] && [ -w "$WORK" ] || refuse "$WORK is no folder that can be written to"
    for old in "$WORK"/row-*.img "$WORK/source.img" "$WORK/start.img"; do
      [ ! -e "$old" ] || refuse "$old is there already; give an empty folder"
    done
    free=$(df -Pk "$WORK" | while read -r _ _ _ free _; do echo "$free"; done | tail -n 1)
    [ $((free * 1024)) -ge "$need" ] || refuse "$WORK has $((free / 1024)) MiB free, $((need / 1048576 + 1)) are needed"
  fi
}
