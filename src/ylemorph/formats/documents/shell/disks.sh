# --- disks: what they are, what they hold, a part of one by itself ------------------------------------------------------

real() { readlink -f -- "$1"; }
name_of() { basename -- "$(real "$1")"; }
# length FILE-OR-DEVICE: its bytes
length() {
  if [ -b "$1" ]; then
    read -r units < "/sys/class/block/$(name_of "$1")/size"
    echo $((units * 512))
  else
    wc -c < "$1"
  fi
}
# behind DEVICE: the file or device behind a loop device, else itself
behind() {
  own=$(real "$1")
  file=/sys/class/block/${own##*/}/loop/backing_file
  if [ -b "$own" ] && [ -r "$file" ]; then cat "$file"; else echo "$own"; fi
}
# same ONE OTHER: two names of one disk: links, loop devices over one file
same() {
  [ "$(behind "$1")" = "$(behind "$2")" ] || [ "$(stat -Lc %d:%i -- "$(behind "$1")")" = "$(stat -Lc %d:%i -- "$(behind "$2")")" ]
}
# loops_over DISK: the loop devices that show it or a stretch of it, but itself
loops_over() {
  for backing in /sys/class/block/loop*/loop/backing_file; do
    [ -r "$backing" ] && read -r file < "$backing" || continue
    loop=${backing#/sys/class/block/}
    [ "$file" != "$(real "$1")" ] || echo "/dev/${loop%%/*}"
  done
}
# loops_under FOLDER: those over files in it
loops_under() {
  for backing in /sys/class/block/loop*/loop/backing_file; do
    [ -r "$backing" ] && read -r file < "$backing" || continue
    loop=${backing#/sys/class/block/}
    case $file in "$(real "$1")"/*) echo "/dev/${loop%%/*}" ;; esac
  done
}
# in_use DISK: whether it, a partition of it, or a loop over it is mounted or swapped to, or held by another device: a
# volume group, an array, an opened crypt, a file system over several disks
in_use() {
  users="$(behind "$1") $(real "$1") $(loops_over "$1")"
  for user in $users; do
    base=${user##*/}
    for holder in "/sys/class/block/$base/holders"/* "/sys/class/block/$base/$base"*/holders/* /sys/fs/btrfs/*/devices/"$base" \
      /sys/fs/btrfs/*/devices/"$base"[0-9]* /sys/fs/btrfs/*/devices/"$base"p[0-9]*; do
      [ ! -e "$holder" ] || return 0
    done
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
# serial DISK: what it reports of itself; empty where that is not known
serial() { if [ -b "$1" ] && command -v lsblk > /dev/null; then lsblk -dno SERIAL "$(real "$1")" 2> /dev/null || :; fi; }
# identity DISK: of its table, in small letters; empty where there is none
identity() { sfdisk --disk-id "$1" 2> /dev/null | tr "[:upper:]" "[:lower:]" || :; }
# rows DISK: "start:sectors" of every partition but an extended one
rows() {
  sfdisk --dump "$1" 2> /dev/null | while IFS= read -r line; do
    line=${line##* : }
    case $line in *start=*size=*) ;; *) continue ;; esac
    case "$line," in *"type=5,"* | *"type=f,"* | *"type=85,"*) continue ;; esac
    start=${line#*start=}
    size=${line#*size=}
    start=${start%%,*}
    size=${size%%,*}
    echo "${start##* }:${size##* }"
  done
}
# known DISK FROM LENGTH WHAT: what a file system there says of itself: TYPE, UUID; empty where there is none
known() { blkid -p -O "$2" -S "$3" -s "$4" -o value "$1" 2> /dev/null || :; }
# holds DISK: what stands on it, in words; empty where nothing does
holds() {
  count=$(rows "$1" | wc -l)
  if [ "$count" -gt 0 ]; then
    echo "$count partitions"
  else
    kind=$(blkid -p -s TYPE -s PTTYPE -o value "$1" 2> /dev/null | head -n 1 || :)
    [ -z "$kind" ] || echo "$kind"
  fi
}
# signs TEXT: its letters and digits, large
signs() { printf '%s' "$1" | tr -cd 'A-Za-z0-9' | tr "[:lower:]" "[:upper:]"; }
# confirmation DISK: what a person types to say that its contents may go
confirmation() {
  for name in "$(serial "$1")" "$(identity "$1")" "$(blkid -p -s UUID -o value "$1" 2> /dev/null || :)"; do
    text=$(signs "$name")
    if [ ${#text} -ge 4 ]; then
      printf '%s' "$text" | tail -c 4
      return 0
    fi
  done
  echo "$(($(length "$1") / 1000000))MB"
}

# view DISK FROM LENGTH [write]: VIEW is a device that begins and ends with that stretch of it
view() {
  mode=--read-only
  [ "${4:-}" != write ] || mode=
  tries=0 VIEW=''
  while [ -z "$VIEW" ] && [ "$tries" -lt 5 ]; do
    # shellcheck disable=SC2086  # no word where it may be written to
    VIEW=$(losetup --find --show $mode --offset "$2" --sizelimit "$3" --sector-size "$SECTOR" "$1" 2> /dev/null) || VIEW=''
    tries=$((tries + 1))
    [ -n "$VIEW" ] || [ "$tries" -eq 5 ] || sleep 1
  done
  [ -n "$VIEW" ] || return 1
  LOOPS="$LOOPS $VIEW"
}
# give_back: no view is open any more; what was written through one is with the disk
give_back() {
  for loop in $LOOPS; do losetup --detach "$loop"; done
  LOOPS=''
}
# flush FILE-OR-DEVICE: what was written is there, or it is an error
flush() { dd if=/dev/null of="$1" conv=notrunc,fsync status=none || fail "$1 does not take what was written"; }
# forget FILE-OR-DEVICE: what is read next comes from the disk, not from memory
forget() { dd if="$1" iflag=nocache count=0 status=none; }
