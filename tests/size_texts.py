"""Sizes and how they are written, worked out by hand: one table for the server's text and the screen's."""

# Bytes, then the text in binary and in decimal units.
SIZE_TEXTS = (
    (0, "0 B", "0 B"),
    (999, "999 B", "999 B"),
    (1000, "1000 B", "1 kB"),
    (1023, "1023 B", "1.02 kB"),
    (1024, "1 KiB", "1.02 kB"),
    (-1536, "-1.50 KiB", "-1.54 kB"),
    (1_048_576, "1 MiB", "1.05 MB"),
    (215_822_106_624, "201 GiB", "216 GB"),
    (75_484_495_872, "70.3 GiB", "75.5 GB"),
    (1_027_604_480, "980 MiB", "1.03 GB"),
    (480_103_981_056, "447 GiB", "480 GB"),
    (2_085_000_000_000, "1.90 TiB", "2.09 TB"),  # 2.085 rounds up, whatever a binary fraction makes of it
    (1_000_204_886_016, "932 GiB", "1 TB"),
    (1_072_693_248, "1023 MiB", "1.07 GB"),
    (1_073_741_823, "1 GiB", "1.07 GB"),
    (999_499_999, "953 MiB", "999 MB"),
    (999_500_000, "953 MiB", "1 GB"),
    (2**53 - 1, "8 PiB", "9.01 PB"),
)
