package demo

// All names of people and places are made up.

var firstNames = []string{
	"Ada", "Alwin", "Anke", "Arno", "Bea", "Bram", "Cato", "Corin", "Dagny", "Delia", "Edda", "Egon", "Elin", "Emmet",
	"Esme", "Fenna",
	"Finn", "Freya", "Gerda", "Gilda", "Hanne", "Hedda", "Henk", "Ida", "Imre", "Inga", "Ivo", "Jory", "Jutta", "Kaja",
	"Karel", "Lena",
	"Linus", "Lotte", "Maas", "Marit", "Mila", "Nele", "Nils", "Oda", "Olle", "Orla", "Pim", "Quill", "Rasmus", "Reka",
	"Rolf", "Runa",
	"Sanne", "Signe", "Sten", "Svea", "Tamsin", "Teun", "Thea", "Ulla", "Viggo", "Wanda", "Wim", "Yara", "Ylva", "Zeno",
}

var lastFirst = []string{
	"Alder", "Ash", "Beck", "Birk", "Black", "Bracken", "Brook", "Dune", "Elm", "Fen", "Ford", "Gorse", "Heath",
	"Holm", "Kelp", "Lang",
	"Marsh", "Mere", "Moor", "Moss", "Oster", "Reed", "Rush", "Sedge", "Sild", "Stone", "Tarn", "Thorn", "Water",
	"West", "Wick", "Willow",
}

var lastSecond = []string{
	"berg", "by", "dale", "feld", "gard", "ham", "holt", "hurst", "kamp", "land", "ley", "lund", "man", "mark", "sen",
	"stad", "strand", "ton", "vik", "wood",
}

var places = []string{
	"Reed Hollow", "the Long Sluice", "Heron Bank", "Cutler's Mere", "the Salt Steps", "Old Ferry Pool",
	"Whistling Dyke", "Amber Flats",
	"the Drowned Orchard", "Nine Posts", "Sedge Corner", "Lantern Hide", "the Peat Cut", "Gull Island",
	"Marrow Bridge", "the Eastern Scrape",
	"Teal Pond", "Quern Meadow", "the Tidal Gate", "Bulrush Lane", "Kestrel Dike", "Mistral Hide", "the Osier Beds",
	"Grey Willow Hide",
}

var birds = []string{
	"Bittern", "Marsh harrier", "Spoonbill", "Avocet", "Black-tailed godwit", "Kingfisher", "Water rail",
	"Bearded reedling", "Great egret",
	"Lapwing", "Redshank", "Ruff", "Snipe", "Teal", "Wigeon", "Pintail", "Shoveler", "Garganey", "Osprey", "Hobby",
	"Sedge warbler",
	"Reed bunting", "Curlew", "Golden plover", "Common tern", "Little grebe", "Spotted crake", "Purple heron",
	"Barnacle goose", "White-tailed eagle",
}

var times = []string{
	"just after dawn", "at first light", "before breakfast", "in the late morning", "around noon",
	"in the warm afternoon", "at low tide",
	"as the tide came in", "towards dusk", "in the last light", "between two showers", "in thick mist",
	"under a clearing sky", "after the storm",
}

var doings = []string{
	"feeding in the shallows", "calling from the reeds", "circling low over the water", "asleep on one leg",
	"chasing off a crow",
	"carrying nest material", "with three young", "preening in the open", "diving again and again",
	"flushed by a dog walker",
	"walking along the mud edge", "hovering over the dyke", "quarrelling with a heron", "hidden until it moved",
	"flying in from the sea",
}

var closings = []string{
	"Best view from the second hide.", "Stayed for ten minutes.", "My first this year.",
	"Gone by the time I had the scope up.",
	"Please keep to the boards, they are close to the path.", "Worth the wet boots.", "Seen by all four of us.",
	"Photos when I am home.",
	"Third day in a row here.", "Could not read the ring.", "Quiet otherwise.", "A good sign for the new scrape.",
	"The ferryman saw it too.",
	"I counted twice.", "Heard it long before I saw it.", "Light was poor, but no doubt about it.",
}

var roles = []string{
	"Warden's helper", "Early riser", "Counts waders", "Keeps the hide book", "New to birds",
	"Draws more than photographs", "Rings swallows",
	"Out in all weathers", "Weekend watcher", "Listens for rails", "Third generation", "Looks after the ferry",
	"Teaches at the village school",
}

var habits = []string{
	"Tea in the flask, always.", "Ask me about the bitterns.", "Prefers the north side.", "Will share a scope.",
	"Writes everything down.",
	"Mostly here for the light.", "Walks slowly.", "Knows every post by name.", "Happy to be corrected.",
	"Counts twice, posts once.",
}

var remarks = []string{
	"I saw it from the other side, lovely.", "Are you sure? The bill looks short to me.",
	"It was still there at noon.", "Thank you, going tomorrow.",
	"Which hide is that?", "We had two yesterday.", "What a day to be out.", "Missed it by five minutes!",
	"Has anybody told the warden?",
	"That is the earliest date I know of here.", "Great count.", "The same one as last week, I think.",
	"Was it ringed?", "Beautiful.",
}
