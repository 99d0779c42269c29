"""Follow-up: who has gone quiet, who never started, and whom to contact."""
