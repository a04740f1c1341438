"""What people type: scripts, lengths, sentences that select."""
