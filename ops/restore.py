"""Put back what a backup holds, and verify it."""

from .backup import restore

if __name__ == "__main__":
    restore()
