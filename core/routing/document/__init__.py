"""The rig document: kinds by family, fields, notation read and written, versions."""
