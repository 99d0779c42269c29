"""What errors of the database and of the disk mean, for whoever tells them."""

from goldthread.store.faults import in_our_words as in_our_words
