"""What all views share: the crossing, one selection, one filter, and the job that runs."""
