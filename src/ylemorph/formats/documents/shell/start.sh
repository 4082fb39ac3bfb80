# --- what starts the machine: numbers in boot sectors and loaders -----------------------------------------------------

# number FILE AT BYTES: the little-endian number that stands there; fails where that cannot be read
number() {
  value=0 scale=1 count=0
  for byte in $(dd if="$1" bs=1 skip="$2" count="$3" status=none | od -An -v -tu1); do
    value=$((value + byte * scale))
    scale=$((scale * 256))
    count=$((count + 1))
  done
  if [ "$count" -ne "$3" ]; then
    printf 'Failed: byte %s of %s cannot be read\n' "$2" "$1" >&2
    return 1
  fi
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
put() {
  # shellcheck disable=SC2059  # the text is octal numbers only
  printf "$3" | dd of="$1" bs=64K seek="$2" oflag=seek_bytes conv=notrunc,fsync status=none || fail "$1 cannot be written"
}
# put_number FILE AT BYTES NUMBER
put_number() { put "$1" "$2" "$(octal "$4" "$3")"; }
# rename_start KIND DISK AT OLD NEW: the boot sector of the row at byte AT, and its copy, name NEW as its first sector
# where they name OLD; what names another place, or is no boot sector, is left alone
rename_start() {
  field=28 bytes=4
  [ "$1" != exfat ] || field=64 bytes=8
  mark=$(number "$2" $(($3 + 510)) 2)
  [ "$mark" = 43605 ] || return 0
  case $1 in
    exfat)
      unit=$(number "$2" $(($3 + 108)) 1)
      unit=$((1 << unit)) copy=12
      ;;
    *)
      unit=$(number "$2" $(($3 + 11)) 2)
      case $1 in
        fat16) copy=0 ;;
        fat32) copy=$(number "$2" $(($3 + 50)) 2) ;;
        ntfs) copy=$(number "$2" $(($3 + 40)) 8) ;;
      esac
      ;;
  esac
  for region in $((copy * unit)) 0; do
    mark=$(number "$2" $(($3 + region + 510)) 2)
    named=$(number "$2" $(($3 + region + field)) "$bytes")
    [ "$mark" = 43605 ] && [ "$named" = "$4" ] || continue
    put_number "$2" $(($3 + region + field)) "$bytes" "$5"
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
# rename_loader DISK AT OLD NEW: the loader's own list in the row at byte AT, and then the first sector, name its new
# place; where they do not both name the old one, it is another loader and left alone. The list goes back as one sector,
# so that it names one place or the other; where it names the new one already, only the first sector is left
rename_loader() {
  first=$(number "$1" 92 8)
  own=$(number "$1" $(($2 + 500)) 8)
  [ "$first" = "$3" ] || return 0
  if [ "$own" = $(($3 + 1)) ]; then
    list=$KEEP/ylemorph-loader
    dd if="$1" of="$list" bs=512 skip="$2" count=1 iflag=skip_bytes status=none || fail "$1 cannot be read"
    entry=500
    while [ "$entry" -gt 0 ]; do
      long=$(number "$list" $((entry + 8)) 2)
      [ "$long" != 0 ] || break
      named=$(number "$list" "$entry" 8)
      [ "$named" -lt "$3" ] || put_number "$list" "$entry" 8 $((named - $3 + $4))
      entry=$((entry - 12))
    done
    bytes "$list" 0 "$1" "$2" 512
  elif [ "$own" != $(($4 + 1)) ]; then
    return 0
  fi
  put_number "$1" 92 8 "$4"
}
