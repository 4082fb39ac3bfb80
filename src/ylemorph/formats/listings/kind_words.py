"""How utilities and people write the kinds of file systems."""

from ...core.disk.model import Kind

# In lower case, beyond our own words.
KIND_WORDS: dict[str, Kind] = {
    "ntfs": "ntfs", "fat12": "unknown", "fat16": "fat16", "fat": "fat16", "fat32": "fat32", "vfat": "fat32",
    "msdos": "fat16", "exfat": "exfat", "ext2": "ext2", "ext3": "ext3", "ext4": "ext4", "xfs": "xfs",
    "btrfs": "btrfs",
    "f2fs": "f2fs", "refs": "refs", "apfs": "apfs", "hfs+": "hfs+", "hfsplus": "hfs+", "swap": "swap",
    "linux-swap": "swap",
    "lvm": "lvm", "lvm2_member": "lvm", "luks": "luks", "crypto_luks": "luks", "bitlocker": "bitlocker",
    "linux_raid_member": "unknown", "unknown": "unknown",
}  # fmt: skip


def kind_from_word(word: str) -> Kind | None:
    """The kind that a utility or a person means; None where the word is not known."""
    return KIND_WORDS.get(word.strip().lower().replace("(v1)", "").strip())
