"""The stage Prove."""
