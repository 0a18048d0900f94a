"""The sets of characters that a password policy names."""

SETS = {
    "lower": "abcdefghijklmnopqrstuvwxyz", "upper": "ABCDEFGHIJKLMNOPQRSTUVWXYZ", "digit": "0123456789",
    "sign": "!#$%&*+-./:;<=>?@_~",
}  # fmt: skip
LONGEST = 256
