package demo

// Given and family names, chosen to be unusual together and to have letters
// beyond ASCII among them.
var givenNames = []string{
	"Inês", "Tomas", "Oda", "Brannoc", "Sunniva", "Ilkay", "Perpetua", "Ruairc", "Yseult", "Matthis", "Ngozika", "Leocadia",
	"Cormag", "Zdravka", "Amatus", "Fenella", "Odhran", "Tindra", "Baltasar", "Kerensa", "Eskil", "Marisela", "Wolfram", "Anahit",
	"Dagny", "Thibault", "Saoirse", "Ambroz", "Liduina", "Ozias", "Hedvika", "Joaquim", "Merete", "Caspian", "Iolanthe", "Radomir",
	"Ebba", "Lazare", "Nerys", "Tancred", "Solveig", "Evander", "Milica", "Piran", "Xanthe", "Ulrik", "Drusilla", "Emeric",
	"Gwenllian", "Halvard", "Ignatia", "Jorunn", "Kalliope", "Lorcan", "Malvina", "Nazareth", "Ottoline", "Pascoe", "Quirina", "Rurik",
	"Serafina", "Torquil", "Undine", "Valdis",
}

var familyNames = []string{
	"Halloran", "Brandt", "Osei", "Quill", "Vanterpool", "Skarsgaard", "Penhallow", "Iturralde", "Mbeki-Lund", "Ravensworth",
	"Cakir", "Thistlewood", "Nakamura-Bell", "Fairweather", "Zielonka", "Okonjo", "Tregenza", "Lindqvist", "Abernethy", "Sepúlveda",
	"Wintergreen", "Björklund", "Castellane", "Dvořák-Hale", "Eisenhauer", "Fontaine", "Gallowglass", "Hightower", "Ibarretxe", "Jernigan",
	"Kvarnström", "Lovelock", "Morwenstow", "Novotny", "Ó Dálaigh", "Pemberley", "Quartermaine", "Rosenqvist", "Stavenger", "Trevelyan",
	"Underhay", "Vasquez-Orr", "Wetherell", "Xifaras", "Yarborough", "Zamoyski", "Ashgrove", "Blackwater", "Coldstream", "Dunmore",
	"Easterbrook", "Foxcroft", "Greywell", "Hartigan", "Inglewood", "Jessamine", "Kestrel", "Larkspur", "Marchbanks", "Northcote",
	"Oakhanger", "Pettigrew-Sá", "Ravenscar", "Silvermere", "Thorncastle", "Umfraville", "Venables", "Whitlock", "Yeo", "Zouche",
}
