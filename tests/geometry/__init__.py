"""Tests of geometry."""
