"""The version, for every part that keeps something by it."""

VERSION = "0.1.0"
