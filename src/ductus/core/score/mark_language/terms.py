"""Musical words as data: by kind and language, as dictionaries of musical terms have them (common practice).

What stands here is understood in any case, with its dots and without. The usual tempo of a word is the middle of what
metronomes print beside it; a word of another language has that of the Italian word which dictionaries give for it.
"""

from __future__ import annotations

# Beats a minute.
TEMPI: dict[str, int] = {
    "Grave": 42, "Largo": 50, "Larghetto": 60, "Lento": 54, "Adagio": 66, "Andante": 84, "Andantino": 88,
    "Moderato": 108, "Allegretto": 112, "Allegro": 132, "Vivace": 152, "Presto": 176,
    # Italian, seldom
    "Larghissimo": 40, "Lentissimo": 44, "Adagissimo": 50, "Adagietto": 70, "Marcia": 112, "Alla marcia": 112,
    "Marcia funebre": 56, "Feurig": 144, "Gemächlich": 84, "Bedächtig": 60, "Flott": 138, "Behende": 138,
    "Zügig": 126, "Schleppend": 50, "Sehr mäßig": 84, "Eilig": 152, "Valse lente": 112, "Mouvement de valse": 168,
    "Mouvement de marche": 112, "Mouvement de menuet": 120, "Hurrying": 152, "Stately": 66, "Relaxed": 88,
    "Majestically": 76, "Spirited": 132, "Driving": 138, "Alla turca": 126, "Alla polacca": 108, "Alla siciliana": 54,
    "Tempo giusto": 104, "Tempo ordinario": 104, "Scherzo": 176, "Tempo di polacca": 108, "Tempo di bolero": 76,
    "Tempo di gavotta": 120, "Tempo di mazurka": 138, "Tempo di polka": 112, "Tempo di tango": 60,
    "Tempo di ballo": 120, "Spiritoso": 132, "Veloce": 160, "Largamente": 54, "Tranquillo": 72, "Agitato": 138,
    "Animato": 126, "Con moto": 104, "Con brio": 138, "Con fuoco": 152, "Mosso": 112, "Tempo di marcia": 112,
    "Tempo di valse": 168, "Tempo di valzer": 168, "Tempo di menuetto": 120, "Tempo di minuetto": 120, "Vivo": 150,
    "Vivacissimo": 168, "Allegrissimo": 160, "Prestissimo": 200, "Comodo": 92, "Maestoso": 88, "Sostenuto": 76,
    # German
    "Sehr langsam": 44, "Langsam": 54, "Breit": 54, "Getragen": 60, "Ruhig": 66, "Gehend": 84, "Mäßig": 96,
    "Mässig": 96, "Mäßig bewegt": 104, "Bewegt": 112, "Munter": 126, "Frisch": 126, "Lebhaft": 138, "Rasch": 144,
    "Schnell": 152, "Geschwind": 152, "Sehr schnell": 176, "Im Marschtempo": 112, "Marschmäßig": 112,
    # French
    "Très lent": 44, "Lent": 54, "Lentement": 54, "Gravement": 46, "Modéré": 100, "Modérément": 100, "Allant": 92,
    "Animé": 126, "Gai": 126, "Gaiement": 126, "Vif": 152, "Vivement": 152, "Vite": 160, "Très vif": 168,
    # English
    "Very slow": 44, "Slow": 58, "Slowly": 58, "Broadly": 56, "Calm": 66, "Walking": 88, "Moderate": 104,
    "Moderately": 104, "Medium": 112, "Medium up": 144, "Easy": 112, "Steadily": 104, "Lively": 138, "Brightly": 132,
    "Bright": 132, "Quick": 144, "Quickly": 144, "Fast": 152, "Very fast": 184, "Up-tempo": 184, "March tempo": 112,
    "Waltz tempo": 168,
}  # fmt: skip
# What words beside a tempo do to its number: shares of our own choice within the range of the word. How much of what
# the word says is asked for; a slow word ("Molto adagio", "Adagio ma non troppo") is slower or faster by it.
STRONGER: dict[str, float] = {
    "molto": 1.08, "assai": 1.08, "sehr": 1.1, "tres": 1.1, "bien": 1.05, "very": 1.1, "extremely": 1.15,
    "possibile": 1.12, "il piu": 1.1, "so": 1.1, "wie moglich": 1.1, "quite": 1.02, "ziemlich": 1.02, "recht": 1.02,
    "assez": 1.02, "fairly": 1.0, "rather": 1.0, "quasi": 0.97, "poco": 0.97, "un poco": 0.97, "un pochino": 0.98,
    "etwas": 0.96, "ein wenig": 0.96, "un peu": 0.96, "a little": 0.96, "moderately": 0.88, "massig": 0.88,
    "moderement": 0.88, "medium": 0.9, "non troppo": 0.93, "ma non troppo": 0.93, "ma non tanto": 0.94,
    "non tanto": 0.94, "non molto": 0.94, "ma non molto": 0.94, "aber nicht zu": 0.93, "nicht zu": 0.93,
    "doch nicht zu": 0.93, "nicht sehr": 0.93, "nicht": 0.9, "mais pas trop": 0.93, "pas trop": 0.93,
    "but not too": 0.93, "not too": 0.93, "aber": 1.0, "doch": 1.0, "ma": 1.0,
}  # fmt: skip
# Faster or slower, whatever stands before.
BEHIND_TEMPO: dict[str, float] = {
    "con brio": 1.05, "con fuoco": 1.06, "con spirito": 1.05, "vivace": 1.08, "con moto": 1.08, "mosso": 1.08,
    "moderato": 0.92, "sostenuto": 0.92, "quasi allegretto": 1.15, "quasi allegro": 1.2, "giusto": 1.0, "lento": 0.7,
    "lente": 0.7, "bewegt": 1.05, "anime": 1.05, "più": 1.0,
}  # fmt: skip

SLOWING = (
    "rit.", "ritardando", "rall.", "rallentando", "allargando", "calando", "morendo", "smorzando", "smorz.", "slower",
    "allarg.", "rallent.", "slentando", "strascinando", "trattenuto", "ritard.", "langsamer werdend", "zurückhaltend",
    "verbreitern", "verlangsamen", "breiter werdend", "nachlassend", "cédez", "en cédant", "retenez", "en retenant",
    "ralentir", "en ralentissant", "ralentissant", "élargir", "en élargissant", "slowing", "slow down", "broadening",
    "getting slower", "gradually slower",
)  # fmt: skip
SPEEDING = (
    "accel.", "accelerando", "stringendo", "faster", "string.", "affrettando", "affrett.", "incalzando",
    "precipitando", "beschleunigen", "beschleunigend", "schneller werdend", "drängend", "eilend", "treibend",
    "pressez", "en pressant", "serrez", "en serrant", "accélérez", "en animant", "getting faster", "gradually faster",
    "speed up", "pushing",
)  # fmt: skip
# At once, and the share of the tempo that then holds: our own choice, but for what a word says in numbers.
AT_ONCE: dict[str, float] = {
    "ritenuto": 0.8, "meno mosso": 0.85, "più mosso": 1.15, "riten.": 0.8, "più lento": 0.85, "più largo": 0.8,
    "più adagio": 0.85, "più tranquillo": 0.9, "meno allegro": 0.88, "più allegro": 1.15, "più animato": 1.12,
    "più vivo": 1.15, "più presto": 1.2, "più andante": 1.08, "meno lento": 1.1, "meno presto": 0.88,
    "meno vivo": 0.88, "più vivace": 1.15, "più agitato": 1.12, "più sostenuto": 0.88, "noch schneller": 1.12,
    "noch langsamer": 0.88, "noch rascher": 1.12, "rascher": 1.15, "très retenu": 0.75, "plus retenu": 0.85,
    "plus large": 0.85, "plus modéré": 0.92, "a little slower": 0.92, "a little faster": 1.08, "much slower": 0.75,
    "much faster": 1.3, "slightly slower": 0.94, "slightly faster": 1.06, "più calmo": 0.9, "poco meno": 0.93,
    "poco più": 1.07, "più stretto": 1.15, "stretto": 1.15, "mosso": 1.1, "doppio movimento": 2.0,
    "doppio tempo": 2.0, "double-time": 2.0, "half-time": 0.5, "stretta": 1.15, "doppio più mosso": 2.0,
    "doppio più lento": 0.5, "double time": 2.0, "half time": 0.5, "langsamer": 0.85, "etwas langsamer": 0.92,
    "ruhiger": 0.9, "breiter": 0.85, "schneller": 1.15, "etwas schneller": 1.08, "bewegter": 1.1,
    "etwas bewegter": 1.05, "lebhafter": 1.12, "doppelt so schnell": 2.0, "plus lent": 0.85, "moins vite": 0.88,
    "plus vite": 1.15, "plus animé": 1.12, "un peu plus lent": 0.92, "un peu plus vite": 1.08, "plus calme": 0.9,
    "retenu": 0.85, "l'istesso tempo": 1.0, "lo stesso tempo": 1.0, "listesso": 1.0,
}  # fmt: skip
# Styles and ways of counting: printed as tempo words; the tempo goes on.
STYLES = (
    "Rock", "Ballad", "Funk", "Latin", "Bossa nova", "Bossa", "Samba", "Rumba", "Tango", "Beguine", "Blues", "Gospel",
    "Reggae", "Ragtime", "Boogie", "Disco", "Pop", "Soul", "Country", "Folk", "Jazz waltz", "Waltz", "March", "Polka",
    "Two-beat", "Half-time feel", "Double-time feel", "Straight eighths feel", "Latin feel", "Rock feel", "in one",
    "in two", "in three", "in four", "in 1", "in 2", "in 3", "in 4", "in 6", "alla zingarese", "alla breve",
    "Im Volkston", "Alla tedesca", "All'ongarese", "Rubato tempo", "Tempo II",
)  # fmt: skip
AT_ONCE |= dict.fromkeys(STYLES, 1.0)
TO_THE_FIRST = (
    "Tempo I", "tempo primo", "a tempo primo", "Tempo I°", "Tempo 1", "Tempo 1°", "Tempo Iº", "erstes Zeitmaß",
    "premier mouvement", "1er mouvement", "1er Mouvt", "1er Mt", "premier Mouvt", "original tempo",
    "tempo come prima", "come prima", "wie zuerst",
)  # fmt: skip
RETURNING = (
    "a tempo", *TO_THE_FIRST, "in tempo", "a tempo giusto", "im Tempo", "im Zeitmaß", "Zeitmaß", "wieder im Tempo",
    "au mouvement", "au Mouvt", "Mouvt", "au Mt", "come sopra", "tempo", "a battuta", "back in tempo", "Tempo 1mo",
    "au mouvement initial", "reprenez le mouvement", "revenez au tempo", "au tempo", "tempo giusto come prima",
    "Hauptzeitmaß", "wieder im Zeitmaß",
)  # fmt: skip

EXPRESSIONS = (
    # Italian
    "dolce", "cantabile", "espressivo", "espr.", "legato", "leggiero", "sostenuto", "con brio", "con moto",
    "con anima", "con fuoco", "semplice", "grazioso", "maestoso", "tranquillo", "animato", "agitato", "mezza voce",
    "sotto voce", "una corda", "tre corde", "simile", "sempre", "subito", "poco a poco", "con pedale", "senza pedale",
    "con ped.", "senza ped.", "marcato il canto", "rubato", "ad lib.", "L.H.", "R.H.", "m.d.", "m.s.", "solo",
    "tutti", "pizz.", "arco", "div.", "unis.", "loco", "G.P.", "attacca", "tacet", "marc.", "scherzando", "giocoso",
    "pesante", "secco", "dolente", "appassionato", "cantando", "lontano", "teneramente", "niente", "colla voce",
    "non legato", "sub.", "affettuoso", "amabile", "amoroso", "brillante", "brioso", "burlesco", "calmo", "cant.",
    "capriccioso", "cedendo", "con affetto", "con amore", "con bravura", "con calore", "con delicatezza",
    "con dolcezza", "con dolore", "con espressione", "con forza", "con grazia", "con gusto", "con passione",
    "con slancio", "con sordino", "con sord.", "senza sordino", "senza sord.", "con spirito", "con tenerezza",
    "con tutta forza", "deciso", "delicato", "deliberato", "disperato", "dolcissimo", "dolciss.", "doloroso",
    "drammatico", "eroico", "energico", "esaltato", "espress.", "estinto", "facile", "feroce", "fermo", "festivo",
    "flebile", "freddo", "funebre", "furioso", "gaio", "gentile", "giusto", "grandioso", "imperioso", "impetuoso",
    "in modo di", "in rilievo", "innocente", "inquieto", "irato", "lacrimoso", "lagrimoso", "lamentoso", "languido",
    "largamente", "legatissimo", "leggero", "legg.", "leggierissimo", "leggiadro", "lugubre", "lusingando",
    "ma marcato", "marcatissimo", "martellato", "mesto", "misterioso", "morbido", "mormorando", "nobile",
    "nobilmente", "parlando", "parlante", "pastorale", "patetico", "perdendosi", "perdendo", "piacevole", "piangendo",
    "pomposo", "portamento", "quasi", "quasi recitativo", "quasi una fantasia", "religioso", "recitativo", "recit.",
    "risoluto", "ritmico", "rustico", "scherzoso", "sciolto", "senza misura", "senza rigore", "serioso", "sentito",
    "smorfioso", "soave", "solenne", "sonore", "sonoro", "sordamente", "sospirando", "spianato", "spiccato",
    "spiritoso", "staccatissimo", "stacc.", "strepitoso", "stridente", "suave", "tempestoso", "tempo rubato",
    "tenebroso", "ten.", "tenerezza", "timoroso", "tosto", "tremolando", "trionfante", "triste", "veloce", "velato",
    "con ottava", "con 8va", "con 8va bassa", "con 8", "coll'8", "coll' 8va", "coll'8va", "col 8va bassa", "sopra",
    "sotto", "m.d. sopra", "m.s. sotto", "m.s. sopra", "m.d. sotto", "al fine", "al segno", "senza ripetizione",
    "senza repetizione", "senza replica", "con replica", "con ripetizione", "tranquillamente", "grandemente",
    "dolcemente", "leggermente", "leggieramente", "mestamente", "vivacemente", "sonoramente", "ancora", "come un'eco",
    "quasi eco", "eco", "lontanissimo", "intimo", "elegante", "elegiaco", "fantastico", "glorioso", "liberamente",
    "con libertà", "con semplicità", "con vigore", "con malinconia", "malinconico", "con maestà", "con leggerezza",
    "con allegrezza", "con energia", "con impeto", "con duolo", "con ottava ad lib.", "3 ped.", "pedale",
    "pedale simile", "pedale ad lib.", "alla corda", "alla zoppa", "alla francese", "ben marcato", "ben cantato",
    "ben legato", "ben ritmato", "ben tenuto", "marcato il basso", "marcato la melodia", "il basso marcato",
    "la melodia marcata", "il canto marcato", "ottava ad lib.", "ultima volta", "prima volta sola", "più o meno",
    "non rit.", "non rall.", "non cresc.", "non staccato", "non troppo f", "non dim.", "senza rit.", "senza rall.",
    "senza espr.", "con variazioni", "cadenza", "quasi cadenza", "con melodia", "melody", "melodia", "bass", "only",
    "decidé", "décidé", "avec force", "con fretta", "animando", "declamato", "delicatissimo", "leggerissimo",
    "sonorissimo", "vibrato", "vigoroso", "violento", "vivamente", "volante", "con ottava", "coll'ottava",
    "col canto", "colla parte", "colla destra", "colla sinistra", "mano destra", "mano sinistra", "a piacere",
    "a due", "a 2", "a capriccio", "ad libitum", "senza tempo", "meno", "più", "molto", "ossia", "ottava alta",
    "tasto solo", "tutte le corde", "tutta forza", "due corde", "t.c.", "u.c.", "sul ponticello", "sul pont.",
    "sul tasto", "col legno", "divisi", "unisono", "V.S.", "volti subito", "segue", "tacet al fine", "lunga",
    "lunga pausa", "corta", "l.v.", "laissez vibrer", "lasciar vibrare", "più f", "più p", "meno f", "meno p",
    "più forte", "più piano", "sempre p", "sempre f", "sempre pp", "sempre ff", "poco f", "poco p", "quasi f",
    "quasi p", "mezza", "messa di voce", "m.v.", "s.v.", "ma non troppo", "non troppo",
    # hands and pedals
    "½", "sost.", "sim.", "a2", "LH", "RH", "m.g.", "M.D.", "M.S.", "M.G.", "l.h.", "r.h.", "left hand", "right hand",
    "½ ped.", "half pedal", "half ped.", "sost. ped.", "sostenuto pedal", "Ped. simile", "ped. simile", "with pedal",
    "no pedal", "2 Ped.", "✱", "mit Pedal", "ohne Pedal", "avec pédale", "sans pédale",
    # German
    "ausdrucksvoll", "mit Ausdruck", "innig", "zart", "leise", "laut", "lieblich", "sanft", "leicht", "kräftig",
    "feierlich", "fließend", "gebunden", "getragen", "gesangvoll", "heftig", "hervortretend", "markiert", "mit Humor",
    "mit Kraft", "mit Empfindung", "mit Dämpfer", "ohne Dämpfer", "nach und nach", "nicht schleppen", "nicht eilen",
    "singend", "stürmisch", "träumerisch", "traurig", "weich", "wuchtig", "düster", "immer", "sehr", "etwas",
    "linke Hand", "rechte Hand", "links", "rechts", "mit innigem Ausdruck", "wie aus der Ferne", "mit Schwung",
    "mit Wärme", "mit Leidenschaft", "leidenschaftlich", "ruhig", "gehalten", "gestoßen", "breit", "schwer", "lustig",
    "fröhlich", "munter", "klagend", "bestimmt", "bewegt", "zögernd", "drängend", "mit Feuer", "mit Gefühl",
    "gefühlvoll", "durchweg", "immer leiser", "immer lauter", "immer schneller", "immer langsamer", "wie vorher",
    "ohne Ausdruck", "mit Verschiebung", "ohne Verschiebung", "nicht gebunden", "sehr zart", "noch", "fern",
    "nach Belieben", "l. H.", "r. H.", "verhallend", "verklingend", "frei", "einfach", "schwungvoll", "geheimnisvoll",
    # French
    "doux", "très doux", "expressif", "avec expression", "sans expression", "chanté", "bien chanté", "en dehors",
    "léger", "très léger", "calme", "avec âme", "avec élan", "gracieux", "mystérieux", "murmuré", "sans presser",
    "sans ralentir", "simplement", "souple", "sonore", "soutenu", "sourdine", "avec sourdine", "main droite",
    "main gauche", "à l'aise", "librement", "lointain", "tendre", "tendrement", "triomphant", "très", "peu à peu",
    "un peu", "à la corde", "douloureux", "grave", "sans rigueur", "avec douleur", "avec tendresse", "sans lenteur",
    "très expressif", "sec", "clair", "brillant", "étouffé", "étouffez", "perdu", "plaintif", "animé", "langoureux",
    "avec charme", "bien marqué", "en se perdant", "jusqu'à la fin", "toujours", "sans traîner", "sans hâte",
    "marqué", "détaché", "lié", "bien rythmé", "rêveusement", "joyeux",
    # English
    "expressively", "with expression", "sweetly", "gently", "tenderly", "softly", "freely", "lightly", "smoothly",
    "majestically", "mysteriously", "sadly", "joyfully", "playfully", "singing", "with feeling", "with motion",
    "with pedal", "without pedal", "rhythmically", "in time", "out of time", "vamp", "vamp till ready", "ad lib",
    "open", "fill", "fills", "break", "stop time", "with mute", "muted", "mute", "heavily", "delicately", "warmly",
    "flowing", "steady", "with spirit", "on cue", "last time only", "first time only", "2nd time only",
    "play 2nd time only", "tacet 1st time", "let ring", "with energy", "with a lilt", "with humor", "with humour",
    "with swing", "with a swing", "with movement", "with passion", "with tenderness", "steadily", "repeat and fade",
    "fade", "fade out", "till cue", "on repeat", "second time only", "1st time only", "2nd time", "1st time",
    "1x only", "2x only", "1st x only", "2nd x only", "tacet 1st x", "tacet 2nd x", "open repeat ad lib.",
    "ad lib. repeat", "repeat ad lib.", "vamp and fade", "cross hands", "hands together", "hands apart", "over",
    "under", "comp", "comping", "cont. sim.", "continue", "as written", "up bow", "down bow", "open string",
    "harmonic", "harmonics", "snap pizz.", "fall", "doit", "scoop", "plop", "bend", "arp. down", "arpeggio down",
    "non arp.", "long pause", "short pause", "optional", "loudly", "quietly", "sharply", "brilliantly", "bright",
    "gracefully", "peacefully", "solemnly", "proudly", "nobly", "calmly", "darkly", "energetically", "excitedly",
    "expansively", "forcefully", "lilting", "lyrically", "passionately", "rubato ad lib.", "as fast as possible",
    "as soft as possible", "colla voce", "as before", "dreamily", "boldly", "hushed", "distant", "rit. last time",
)  # fmt: skip

# Other ways to write what has a sign: as written, the words that are understood already.
SAME: dict[str, str] = {
    "forte": "f", "piano": "p", "mezzo forte": "mf", "mezzoforte": "mf", "mezzo piano": "mp", "mezzopiano": "mp",
    "fortissimo": "ff", "pianissimo": "pp", "fortississimo": "fff", "pianississimo": "ppp", "sforzando": "sfz",
    "sforzato": "sfz", "forzando": "fz", "forte piano": "fp", "fortepiano": "fp", "rinforzando": "rfz",
    "rinf.": "rfz", "rinforz.": "rfz", "f p": "fp", "sfz p": "sfzp", "sf p": "sfp", "sforzando piano": "sfzp",
    "sfortzando": "sfz", "8va alta": "8va", "8va sopra": "8va", "ottava sopra": "8va", "ottava sotto": "8vb",
    "8va sotto": "8vb", "8va basso": "8vb", "15ma bassa": "15mb", "two octaves up": "15ma",
    "two octaves down": "15mb", "octave down": "8vb", "octave higher": "8va", "octave lower": "8vb", "pedal up": "✱",
    "release pedal": "✱", "lift pedal": "✱", "pedal off": "✱", "ped. *": "pedal", "ped *": "pedal",
    "long fermata": "fermata", "short fermata": "fermata", "fermata lunga": "fermata", "Fermate": "fermata",
    "8ve": "8va", "rolled chord": "arpeggio", "roll chord": "arpeggio", "gliss. up": "glissando",
    "gliss. down": "glissando", "gliss up": "glissando", "gliss down": "glissando", "swing 8ths": "swing",
    "Instr.": "Instrumental", "dim hairpin": ">", "decresc hairpin": ">", "opening hairpin": "<",
    "closing hairpin": ">", "open hairpin": "<", "close hairpin": ">", "poco forte": "poco f", "poco piano": "poco p",
    "end bar": "final bar line", "chord roll": "arpeggio", "comma": "breath mark", "'": "breath mark",
    "railroad tracks": "caesura", "tram lines": "caesura", "cut-off": "caesura", "general pause": "G.P.",
    "Generalpause": "G.P.", "grand pause": "G.P.", "swing feel": "swing", "shuffle feel": "shuffle", "swung": "swing",
    "swing eighths": "swing", "straight eighths": "straight", "straight 8ths": "straight", "even eighths": "straight",
    "D.C. senza repetizione": "D.C.", "D.C. senza ripetizione": "D.C.", "D.C. senza replica": "D.C.",
    "D.C. without repeats": "D.C.", "from the beginning": "D.C.", "from the sign": "D.S.", "play to coda": "to coda",
    "al coda": "to coda", "the end": "fine", "last bar line": "final bar line", "end bar line": "final bar line",
    "thin double barline": "double bar", "double bar line": "double bar", "double line": "double bar",
    "repeat begin": "repeat start", "forward repeat": "repeat start", "left repeat": "repeat start",
    "backward repeat": "repeat end", "right repeat": "repeat end", "end repeat": "repeat end", "|:": "repeat start",
    ":|": "repeat end", "||": "double bar", "|||": "final bar line", "swell": "<", "wedge": ">",
    "decresc": "decresc.", "crescendo hairpin": "<", "diminuendo hairpin": ">", "acciacc.": "grace note",
    "appoggiatura": "grace notes", "appogg.": "grace notes", "prall": "inverted mordent",
    "pralltriller": "inverted mordent", "praller": "inverted mordent", "upper mordent": "inverted mordent",
    "lower mordent": "mordent", "gruppetto": "turn", "doppelschlag": "turn", "legatura": "slur", "Bindebogen": "slur",
    "phrasing slur": "slur", "liaison": "slur", "octave up": "8va", "8": "8va", "ottava alta": "8va",
    "ottava bassa": "8vb", "8ba": "8vb", "15": "15ma", "pedal down": "pedal", "Pedal": "pedal", "con Ped.": "pedal",
    "fermata sign": "fermata", "corona": "fermata", "hold": "fermata", "point d'orgue": "fermata",
    "glissando line": "glissando", "roll": "arpeggio", "rolled": "arpeggio", "arp.": "arpeggio",
    "arpegg.": "arpeggio", "arpeggiato": "arpeggio", "staccatissimo sign": "staccatissimo", "wedge accent": "marcato",
    "sharp accent": "marcato", "ten": "tenuto", "final barline": "final bar line", "thin-thick": "final bar line",
    "double barline": "double bar", "dotted barline": "dashed bar line", "dotted bar line": "dashed bar line",
    "dashed barline": "dashed bar line", "tr~": "trill", "tr~~~": "trill", "*": "✱", "volta": "1st ending",
    "first ending": "1st ending", "second ending": "2nd ending", "third ending": "3rd ending",
    "prima volta": "1st ending", "seconda volta": "2nd ending", "volta 1": "1st ending", "volta 2": "2nd ending",
    "1. volta": "1st ending", "2. volta": "2nd ending", "first time bar": "1st ending",
    "second time bar": "2nd ending", "begin repeat": "repeat start", "open repeat": "repeat start",
    "close repeat": "repeat end", "repeat sign": "repeat end", "DC": "D.C.", "DS": "D.S.",
    "DC al Fine": "D.C. al Fine", "DS al Fine": "D.S. al Fine", "DC al Coda": "D.C. al Coda",
    "DS al Coda": "D.S. al Coda", "dal segno": "D.S.", "da capo": "D.C.", "da capo al coda": "D.C. al Coda",
    "Coda sign": "coda", "to ⊕": "to coda", "⊕": "coda", "𝄌": "coda", "𝄋": "segno",
}  # fmt: skip
SECTIONS = (
    "Verse", "Chorus", "Intro", "Introduction", "Bridge", "Refrain", "Outro", "Interlude", "Pre-chorus", "Prechorus",
    "Verse 1", "Verse 2", "Verse 3", "Chorus 1", "Chorus 2", "Ending", "Tag", "Trio", "Solo section", "Instrumental",
    "Head", "Solos", "Turnaround", "Riff", "Hook", "Pre Chorus", "Post-chorus", "Intermezzo", "Break chorus",
    "Shout chorus", "Release", "Vamp section", "Dance", "Underscore", "Playoff", "Segue section", "Theme",
    "Variation", "Middle eight", "Strophe", "Vorspiel", "Nachspiel", "Zwischenspiel", "Kehrvers", "Couplet",
)  # fmt: skip
# Note values by their English names of Britain.
VALUES = {
    "semibreve": "whole", "minim": "half", "crotchet": "quarter", "quaver": "eighth", "semiquaver": "16th",
    "w": "whole", "h": "half", "q": "quarter", "e": "eighth",
}  # fmt: skip
SYMBOLS = {"♩": "quarter", "𝅗𝅥": "half", "♪": "eighth", "𝅝": "whole"}
# Words that say who plays, or with what: over the staff, also where a dynamic stands.
TECHNIQUES = frozenset((
    "pizz.", "arco", "solo", "tutti", "div.", "unis.", "con sord.", "senza sord.", "con sordino", "senza sordino",
    "l.h.", "r.h.", "m.d.", "m.s.", "m.g.", "lh", "rh", "loco", "g.p.", "tacet", "attacca", "v.s.", "volti subito",
    "col legno", "sul pont.", "sul tasto", "a 2", "a2", "a due", "ossia", "open", "mute", "muted", "2 ped.",
    "ped. simile", "con pedale", "senza pedale", "con ped.", "senza ped.", "una corda", "tre corde", "✱", "½",
    "sost.", "vamp", "on cue",
))  # fmt: skip
