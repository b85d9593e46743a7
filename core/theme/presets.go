package theme

// Preset is a handful of colours that go together.
type Preset struct {
	ID, Name string
	Light    Colours
	Dark     Colours
}

// Presets lists the presets.
func Presets() []Preset {
	return []Preset{
		{
			"harbour", "Harbour",
			Colours{"#1b2a4a", "#ffffff", "#f0c35a", "#5fc0a8", "#e9eef3", "#1b2a4a", "#8a5f12", "#0e5a56", "#f0c35a", "#23180a"},
			Colours{"#4d69a8", "#ffffff", "#ffdd8f", "#a4ecd9", "#131a29", "#e8edf4", "#f0c35a", "#5fc0a8", "#d9a441", "#1c1304"},
		},
		{
			"linen", "Linen",
			Colours{"#3d3226", "#fbf5e9", "#e8b95f", "#8fc7a0", "#f5eee0", "#3d3226", "#8a5a14", "#2f6b4f", "#d9e2c4", "#26301a"},
			Colours{"#7a6750", "#ffffff", "#ffe2a6", "#cdf2d8", "#1e1913", "#f1e9db", "#e8b95f", "#8fc7a0", "#aebd8d", "#171d0f"},
		},
		{
			"slate", "Slate",
			Colours{"#2b3137", "#f4f6f7", "#ffb454", "#74c7b8", "#eef0f1", "#23282d", "#8b5606", "#146153", "#cfe3ee", "#12303f"},
			Colours{"#5d6a76", "#ffffff", "#ffd49c", "#b4f0e4", "#15181b", "#e6e9eb", "#ffb454", "#74c7b8", "#86b3c9", "#0a1c26"},
		},
		{
			"copper", "Copper",
			Colours{"#5a2a1b", "#fff4ec", "#f3c06b", "#a9d3a6", "#faefe7", "#4a2114", "#8d5a0a", "#2b6444", "#f0d9b8", "#3d2410"},
			Colours{"#9c563d", "#ffffff", "#ffe3b3", "#daf5d7", "#1f1410", "#f5e7de", "#f3c06b", "#a9d3a6", "#d8a56f", "#1f1004"},
		},
		{
			"moss", "Moss",
			Colours{"#223a2c", "#f3f7f1", "#f0c661", "#9ad6b0", "#edf3ec", "#1f3427", "#80600d", "#1d6a49", "#f2e3b3", "#322806"},
			Colours{"#4d755a", "#ffffff", "#ffe7a8", "#d0f5dc", "#121a15", "#e6eee7", "#f0c661", "#9ad6b0", "#c9b46b", "#191403"},
		},
	}
}
