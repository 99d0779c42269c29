"""What errors of the database and of the disk mean, for whoever reports them."""

from goldthread.store.server.faults import in_our_words as in_our_words
