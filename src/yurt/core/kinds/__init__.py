"""The catalogue of value kinds and the lists behind them, one folder per locale."""
