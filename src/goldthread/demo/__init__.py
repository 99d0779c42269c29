"""The invented supplier Marlpit & Slip: its customers, orders and exports, all from one seed."""
