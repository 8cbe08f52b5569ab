"""Tests of exchange."""
