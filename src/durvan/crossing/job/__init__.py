"""One crossing as a job: its document, what follows from it, and what a person does with it."""
