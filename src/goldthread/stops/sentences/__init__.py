"""The sentences of a question: their parts and choices, the reading line, and words that several stops say alike."""
