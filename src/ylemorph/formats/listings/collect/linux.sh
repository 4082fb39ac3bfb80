#!/bin/sh
# Lists the disks of this machine, shows the list, and sends it to Ylemorph when you agree.
# It reads names, sizes, partitions and used space by lsblk. As root, and where these utilities are here, it also asks
# how small each file system can be made (resize2fs -P, ntfsresize --info, btrfs min-dev-size), how LVM uses its disks
# (pvs) and how the disks are (smartctl). No file is opened, nothing is changed.
# --yes sends without asking; --file writes the list beside you instead of sending it; --plain asks lsblk alone.
set -eu
SERVER='@SERVER@'
CODE='@CODE@'
PIN='@PIN@' # the digest of the server's key, which no authority vouches for; it sends to nobody else

say() { printf '%s\n' "$*" >&2; }

# least DEVICE KIND PLACE: how small its own utility makes it, in bytes; nothing where it does not say.
least() {
    case $2 in
        ext2 | ext3 | ext4)
            block=$(dumpe2fs -h "$1" 2>/dev/null | sed -n 's/^Block size: *\([0-9]*\)$/\1/p')
            blocks=$(resize2fs -P "$1" 2>/dev/null | sed -n 's/^.*: *\([0-9][0-9]*\)$/\1/p')
            [ -z "$block" ] || [ -z "$blocks" ] || echo "$((block * blocks))"
            ;;
        ntfs)
            [ -n "$3" ] || ntfsresize --info --no-progress-bar "$1" 2>/dev/null |
                sed -n 's/^You might resize at \([0-9][0-9]*\) bytes.*/\1/p'
            ;;
        btrfs)
            [ -z "$3" ] || btrfs inspect-internal min-dev-size "$3" 2>/dev/null | sed -n 's/^\([0-9][0-9]*\) bytes.*/\1/p'
            ;;
    esac
}

# leasts: a line of JSON for each file system that says it.
leasts() {
    comma=''
    lsblk --noheadings --list --paths --output NAME | while read -r device; do
        kind=$(lsblk --noheadings --nodeps --output FSTYPE "$device")
        [ -n "$kind" ] || kind=$(blkid -o value -s TYPE "$device") || kind=''
        place=$(lsblk --noheadings --nodeps --output MOUNTPOINT "$device")
        bytes=$(least "$device" "$kind" "$place" </dev/null) || bytes=''
        [ -n "$bytes" ] || continue
        printf '%s{"path": "%s", "least_bytes": %s}\n' "$comma" "$device" "$bytes"
        comma=', '
    done
}

# healths: what each disk says of itself.
healths() {
    comma=''
    lsblk --noheadings --nodeps --list --paths --output NAME,TYPE | while read -r device kind; do
        [ "$kind" = disk ] || continue
        said=$(smartctl --json --all "$device" </dev/null 2>/dev/null) || :
        case $said in '{'*'}') printf '%s%s\n' "$comma" "$said" && comma=', ' ;; esac
    done
}

# everything: the list with what the utilities say, as one JSON object.
everything() {
    printf '{"lsblk": '
    cat "$list"
    printf ', "told": [\n'
    leasts
    printf '], "smart": [\n'
    ! command -v smartctl >/dev/null 2>&1 || healths
    printf ']'
    if command -v pvs >/dev/null 2>&1; then
        printf ', "pvs": '
        pvs --reportformat json --units b --nosuffix \
            --options pv_name,vg_name,pe_start,vg_extent_size,pvseg_start,pvseg_size,segtype 2>/dev/null || echo null
    fi
    printf '}\n'
}

# All of it is one function, so that a script that arrived in part does nothing.
main() {
    ask=yes more=yes
    for given in "$@"; do
        case $given in
            --yes) ask=no ;;
            --file) SERVER='' ;;
            --plain) more=no ;;
            *) say "ylemorph: $given is not known; use --yes, --file or --plain"; exit 2 ;;
        esac
    done

    command -v lsblk >/dev/null 2>&1 || { say "ylemorph: lsblk is missing; it is part of util-linux"; exit 1; }
    list=$(mktemp) && answer=$(mktemp) && whole=$(mktemp)
    trap 'rm -f "$list" "$answer" "$whole"' EXIT INT TERM
    lsblk --json --bytes --output-all >"$list" || { say "ylemorph: lsblk could not list the disks"; exit 1; }
    machine=$(hostname 2>/dev/null || uname -n)

    if [ "$more" = yes ] && [ "$(id -u)" -eq 0 ]; then everything >"$whole"; else cp "$list" "$whole"; fi

    say "This is what Ylemorph gets from $machine:"
    lsblk --output NAME,SIZE,TYPE,FSTYPE,LABEL,FSUSED,MODEL,SERIAL >&2 || true
    if ! cmp -s "$list" "$whole"; then
        say "and what its utilities say of least sizes, LVM and health (--plain leaves that out):"
        grep -E '"(least_bytes|pv_name|model_name|passed)"' "$whole" | sed 's/^[ ,]*/  /' >&2 || true
    fi

    if [ -z "$SERVER" ]; then
        file="ylemorph-$machine-$(date +%Y%m%d-%H%M%S).json"
        cp "$whole" "$file"
        say "Written to $file. Drop that file on the page of the job."
        exit 0
    fi
    if [ "$ask" = yes ]; then
        (: </dev/tty) 2>/dev/null || { say "ylemorph: nobody can be asked here; run it with --yes"; exit 1; }
        printf 'Send it to %s? [y/N, p: the list of disks alone] ' "$SERVER" >&2
        read -r reply </dev/tty
        case $reply in
            y | Y | yes) ;;
            p | P) cp "$list" "$whole" ;;
            *) say "Nothing was sent."; exit 1 ;;
        esac
    fi
    if command -v curl >/dev/null 2>&1; then
        set --
        [ -z "$PIN" ] || set -- --insecure --pinnedpubkey "sha256//$PIN"
        status=$(curl "$@" -sS -o "$answer" -w '%{http_code}' -H 'Content-Type: application/json' -H "X-Machine: $machine" \
            --data-binary "@$whole" "$SERVER/collect/$CODE") || { say "ylemorph: $SERVER cannot be reached"; exit 1; }
    elif command -v wget >/dev/null 2>&1; then
        status=200
        set --
        [ -z "$PIN" ] || set -- --no-check-certificate --pinnedpubkey="sha256//$PIN"
        wget "$@" -q -O "$answer" --content-on-error --header='Content-Type: application/json' --header="X-Machine: $machine" \
            --post-file="$whole" "$SERVER/collect/$CODE" || status=0
    else
        say "ylemorph: neither curl nor wget is here; run it with --file"
        exit 1
    fi
    if [ "$status" != 200 ]; then
        detail=$(sed -n 's/.*"detail": *"\([^"]*\)".*/\1/p' "$answer")
        say "ylemorph: it was not taken. ${detail:-No answer came.}"
        exit 1
    fi
    cat "$answer"
}

main "$@" || exit 1
