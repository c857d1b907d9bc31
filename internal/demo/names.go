package demo

// All of these are made up.
var (
	givenNames = []string{"Berit", "Ansel", "Fenna", "Joss", "Petra", "Corin", "Wren", "Linus", "Marit", "Odell",
		"Tamsin", "Ruben", "Signe", "Ivo",
		"Calla", "Dario", "Elske", "Floris", "Greta", "Hollis", "Imke", "Jorun", "Kester", "Lovisa", "Merrin", "Nils",
		"Orla", "Pascal", "Quilla", "Roan",
		"Sanne", "Torben", "Una", "Viggo", "Willa", "Yorick", "Zelda", "Arlen", "Bettina", "Cato", "Dagny", "Emlyn",
		"Freya", "Gideon", "Hester", "Isko",
		"Jonna", "Kaspar", "Leontine", "Magnus", "Nell", "Oskar", "Perrin", "Rosalind", "Stellan", "Thea", "Ulric",
		"Vesna", "Winifred", "Anneliese"}
	familyNames = []string{"Osterlund", "Brightwater", "Oakhurst", "Underhill", "Holloway", "Ashdale", "Halloway",
		"Merriden", "Tallgrass", "Fenwright",
		"Quillan", "Sorrelby", "Thistlewood", "Larkmoor", "Dunmere", "Averley", "Bracken", "Coldbrook", "Dellwyn",
		"Eastmarsh", "Farrowdale", "Gorsefield",
		"Hazelrigg", "Inglemoor", "Juniperson", "Kestrelby", "Lindqvale", "Mossgrave", "Nettlecombe", "Orchardson",
		"Pellerin", "Quarrington", "Rushmere",
		"Stonebeck", "Tamarind", "Umberley", "Vanterpool", "Willowmere", "Yarrowby", "Zephyrine", "Applegarth",
		"Birkenshaw-Wetherington", "Clovelly-Marsh",
		"Driftwell", "Elderkin", "Foxglove", "Greywater", "Heatherby", "Ivelund", "Jessamine"}
	companyNames = []string{"Vesper Hollow Nursery", "Tall Reed Brewing", "Linden Row Allotments", "Bramble Row School",
		"Old Quarry Stables", "Saltmeadow Housing Co-operative",
		"Three Wells Market Garden", "Larkspindle Works Yard", "Copperbeck Brewery", "Marrowfat Farm",
		"Hollin Gate School", "Pellow Bridge Nursery", "Quince Court Homes",
		"Rookery Lane Stables", "Sedge End Market Garden", "Tern Island Co-operative", "Upper Millrace Brewing",
		"Violet Bank School", "Wagtail Meadows", "Yewtree Town Works",
		"Ambermoss Glass Gardens", "Birchbark Riding", "Clearwater Steps Homes", "Dovecote Nurseries",
		"Ember Valley Brewing", "Siskin Hollow Farm", "Gable End School",
		"Harrow Field Growers", "Iron Gate Works Yard", "Jackdaw Housing", "Kingcup Market Garden",
		"Lantern Street Homes", "Mulberry Yard Brewing", "Nightjar Stables",
		"Otter Ford School", "Thornpaddock Growers", "Quietwater Homes", "Redcurrant Farm", "Silverweed Nursery",
		"Teasel Lane Allotments", "Umber Hill Works",
		"Verbena House School", "Whitethorn Brewing", "Yarrow Close Homes", "Alder Carr Growers", "Blackcap Stables",
		"Comfrey Farm", "Duckweed Pond Nursery",
		"Elmsorrel Town Works", "Fieldfare Homes", "Goosegrass Market Garden", "Hawfinch School", "Ivyspool Brewing",
		"Juniper Rise Homes", "Knapweed Farm", "Lapwing Meadow Riding",
		"Mistle Court Co-operative", "Nuthatch Growers", "Oxlip Nursery", "Partridgeleaf School"}
	jobs = []string{"Head grower", "Caretaker", "Brewmaster", "Yard manager", "Buyer", "Head teacher",
		"Chair of the committee", "Site engineer", "Accounts", "Stable master", "Planner", "Owner"}
	stages  = []string{"customer", "customer", "customer", "offer sent", "enquiry", "planning"}
	sources = []string{"Spring show leaflet", "Local radio spot", "Web offer form", "Recommended", "Main number",
		"Maintenance contract"}
	tanks = []string{"4,000 l, polyethylene", "12,000 l, steel", "40,000 l, concrete", "8,000 l, under the yard",
		"two of 6,000 l"}
	labels    = []string{"mobile", "office", "home"}
	notesGood = []string{"Wants the overflow on the north side. Visit before the ground freezes.",
		"Two F-40 filters, delivered on a Friday. New tank house next year perhaps.",
		"Pump ran dry after the filter change. Air in the suction line; bled it together on the phone.",
		"Forty thousand litres, two glasshouses. Decides with the others before December.",
		"Asked for the maintenance plan in writing.", "Controller shows E4 since the storm. Sends a picture.",
		"Happy with the installation. May we name them to the school next door: yes.",
		"Price is fine, the digging is not. Looks for somebody local.",
		"Wants to know how much a roof of 300 m² brings in a dry summer."}
	notesBad   = []string{"", "", "", "Rang out.", "Voice at the desk said: try after four."}
	followTask = []string{"Call back about the overflow", "Send the plan of the tank house",
		"Ask whether the pump runs", "Offer for two filters", "Agree the yearly maintenance",
		"Talk through the offer", "Ask the caretaker about the gutter", "Check the delivery of the controller"}
	places = []struct{ area, place, zone, region string }{
		{"413", "Greenfield", "America/New_York", "US"}, {"518", "Albany", "America/New_York", "US"}, {"607", "Ithaca",
			"America/New_York", "US"},
		{"614", "Columbus", "America/New_York", "US"}, {"802", "Montpelier", "America/New_York", "US"},
		{"312", "Chicago", "America/Chicago", "US"},
		{"515", "Des Moines", "America/Chicago", "US"}, {"303", "Denver", "America/Denver", "US"},
		{"503", "Portland", "America/Los_Angeles", "US"},
		{"208", "Boise", "America/Boise", "US"}, {"44", "Leeds", "Europe/London", "GB"},
	}
)
