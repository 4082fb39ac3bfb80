#!/bin/sh
# Lists the disks of this machine, shows the list, and sends it to Ylemorph when you agree.
# It reads names, sizes, partitions and used space by lsblk. No file is opened, nothing is changed.
# --yes sends without asking; --file writes the list beside you instead of sending it.
set -eu
SERVER='@SERVER@'
CODE='@CODE@'
PIN='@PIN@' # the digest of the server's key, which no authority vouches for; it sends to nobody else

say() { printf '%s\n' "$*" >&2; }

# All of it is one function, so that a script that arrived in part does nothing.
main() {
    ask=yes
    for given in "$@"; do
        case $given in
            --yes) ask=no ;;
            --file) SERVER='' ;;
            *) say "ylemorph: $given is not known; use --yes or --file"; exit 2 ;;
        esac
    done

    command -v lsblk >/dev/null 2>&1 || { say "ylemorph: lsblk is missing; it is part of util-linux"; exit 1; }
    list=$(mktemp) && answer=$(mktemp)
    trap 'rm -f "$list" "$answer"' EXIT INT TERM
    lsblk --json --bytes --output-all >"$list" || { say "ylemorph: lsblk could not list the disks"; exit 1; }
    machine=$(hostname 2>/dev/null || uname -n)

    say "This is what Ylemorph gets from $machine:"
    lsblk --output NAME,SIZE,TYPE,FSTYPE,LABEL,FSUSED,MODEL,SERIAL >&2 || true

    if [ -z "$SERVER" ]; then
        file="ylemorph-$machine-$(date +%Y%m%d-%H%M%S).json"
        cp "$list" "$file"
        say "Written to $file. Drop that file on the page of the job."
        exit 0
    fi
    if [ "$ask" = yes ]; then
        (: </dev/tty) 2>/dev/null || { say "ylemorph: nobody can be asked here; run it with --yes"; exit 1; }
        printf 'Send it to %s? [y/N] ' "$SERVER" >&2
        read -r reply </dev/tty
        case $reply in
            y | Y | yes) ;;
            *) say "Nothing was sent."; exit 1 ;;
        esac
    fi
    if command -v curl >/dev/null 2>&1; then
        set --
        [ -z "$PIN" ] || set -- --insecure --pinnedpubkey "sha256//$PIN"
        status=$(curl "$@" -sS -o "$answer" -w '%{http_code}' -H 'Content-Type: application/json' -H "X-Machine: $machine" \
            --data-binary "@$list" "$SERVER/collect/$CODE") || { say "ylemorph: $SERVER cannot be reached"; exit 1; }
    elif command -v wget >/dev/null 2>&1; then
        status=200
        set --
        [ -z "$PIN" ] || set -- --no-check-certificate --pinnedpubkey="sha256//$PIN"
        wget "$@" -q -O "$answer" --content-on-error --header='Content-Type: application/json' --header="X-Machine: $machine" \
            --post-file="$list" "$SERVER/collect/$CODE" || status=0
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
