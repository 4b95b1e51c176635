"""HTTP to service calls and back. One file a resource; no rule of the job lives here."""
