/** Made-up names of the consortium. */
export const REGIONS = ['Upper Valley', 'Lower Valley', 'Coast'];

export const DISTRICTS = [
  ['UV1', 'Lantern Hill', 0], ['UV2', 'Millrace', 0], ['UV3', 'Stonebridge', 0],
  ['LV1', 'Reedmere', 1], ['LV2', 'Orchard End', 1], ['LV3', 'Kettleford', 1],
  ['CO1', 'Saltmarsh', 2], ['CO2', 'Harbour Row', 2],
] as const;

export const TOWNS = ['Ashby Ferry', 'Birchwell', 'Cobble Green', 'Dunmoor', 'Eastlight', 'Fernside', 'Gullhaven', 'Heronsgate', 'Ivybank', 'Juniper Cross', 'Kingsreach', 'Larkfield', 'Mossley Quay', 'Northlea', 'Otterbrook', 'Pinecombe'];

export const BRANCH_KINDS = ['Central', 'Market', 'Park', 'Station', 'Riverside', 'School Lane', 'Old Mill', 'Harbour'];

export const AREAS = [['F', 'Fiction'], ['C', 'Children'], ['N', 'Nature'], ['H', 'History'], ['S', 'Science'], ['A', 'Arts']] as const;

export const SUBJECTS = [
  ['FNO', 'Novels', 'F'], ['FCR', 'Crime', 'F'], ['FSF', 'Far futures', 'F'], ['FPO', 'Poems', 'F'],
  ['CPB', 'Picture books', 'C'], ['CEA', 'Early readers', 'C'], ['CYA', 'Young adults', 'C'],
  ['NBI', 'Birds', 'N'], ['NGA', 'Gardens', 'N'], ['NSE', 'Seas', 'N'],
  ['HLO', 'Local history', 'H'], ['HWO', 'World history', 'H'],
  ['SMA', 'Mathematics', 'S'], ['SHE', 'Health', 'S'], ['SCO', 'Computing', 'S'],
  ['AMU', 'Music', 'A'], ['ACO', 'Cooking', 'A'], ['ACR', 'Crafts', 'A'],
] as const;

export const ADJECTIVES = ['Quiet', 'Long', 'Silver', 'Hidden', 'Last', 'Bright', 'Hollow', 'Patient', 'Wandering', 'Small', 'Northern', 'Paper', 'Salt', 'Winter', 'Open', 'Borrowed'];
export const NOUNS = ['Harbour', 'Lantern', 'Orchard', 'River', 'Atlas', 'Garden', 'Letter', 'Island', 'Window', 'Clock', 'Meadow', 'Bridge', 'Compass', 'Kitchen', 'Forest', 'Tide', 'Workshop', 'Almanac'];
export const TAILS = ['', '', '', ' at Dusk', ' of the Valley', ' and Other Tales', ' Explained', ' for Beginners', ', Revisited', ' by the Sea'];

export const FIRST_NAMES = ['Mira', 'Jon', 'Ana', 'Lee', 'Ivo', 'Sana', 'Tomas', 'Wren', 'Nadia', 'Owen', 'Petra', 'Rafi', 'Ilse', 'Hugo', 'Yara', 'Edda', 'Felix', 'Gwen', 'Bram', 'Cleo'];
export const LAST_NAMES = ['Holt', 'Pike', 'Reed', 'Marsh', 'Stone', 'Brook', 'Crane', 'Dunn', 'Alder', 'Voss', 'Lindqvist', 'Moreau', 'Okafor', 'Sato', 'Novak', 'Byrne', 'Castell', 'Hale', 'Ferro', 'Winter'];
export const COUNTRIES = ['IE', 'FR', 'IS', 'PT', 'NO', 'KE', 'JP', 'CA'];
export const CATEGORIES = ['adult', 'adult', 'adult', 'child', 'child', 'student', 'senior'];
export const PROGRAMMES = ['Story time', 'Reading circle', 'Homework help', 'Seed exchange', 'Repair table', 'Local memory evening'];
