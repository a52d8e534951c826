"""The bus: messages and values (SAE J1979), the link (ISO 15765), the scan client and the poller."""
