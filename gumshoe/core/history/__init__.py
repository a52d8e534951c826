"""What a vehicle and a shop have behind them: comebacks, warranty, how long parts live."""
