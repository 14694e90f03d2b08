"""Engines: `model` says how their figures change, `logic` what their switches and control units do."""
