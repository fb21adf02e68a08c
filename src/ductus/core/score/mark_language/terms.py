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
    "Tempo di marcia": 112, "Tempo di valse": 168, "Tempo di valzer": 168, "Tempo di menuetto": 120,
    "Tempo di minuetto": 120, "Vivo": 150, "Vivacissimo": 168, "Allegrissimo": 160, "Prestissimo": 200,
    "Comodo": 92, "Maestoso": 88, "Sostenuto": 76,
    # German
    "Sehr langsam": 44, "Langsam": 54, "Breit": 54, "Getragen": 60, "Ruhig": 66, "Gehend": 84, "Mäßig": 96,
    "Mässig": 96,
    "Mäßig bewegt": 104, "Bewegt": 112, "Munter": 126, "Frisch": 126, "Lebhaft": 138, "Rasch": 144, "Schnell": 152,
    "Geschwind": 152, "Sehr schnell": 176, "Im Marschtempo": 112, "Marschmäßig": 112,
    # French
    "Très lent": 44, "Lent": 54, "Lentement": 54, "Gravement": 46, "Modéré": 100, "Modérément": 100, "Allant": 92,
    "Animé": 126, "Gai": 126, "Gaiement": 126, "Vif": 152, "Vivement": 152, "Vite": 160, "Très vif": 168,
    # English
    "Very slow": 44, "Slow": 58, "Slowly": 58, "Broadly": 56, "Calm": 66, "Walking": 88, "Moderate": 104,
    "Moderately": 104, "Medium": 112, "Medium swing": 132, "Lively": 138, "Brightly": 132, "Bright": 132, "Quick": 144,
    "Quickly": 144, "Fast": 152, "Very fast": 184, "Up-tempo": 184, "March tempo": 112, "Waltz tempo": 168,
}  # fmt: skip
# What words behind a tempo do to its number: shares of our own choice within the range of the word.
BEHIND_TEMPO: dict[str, float] = {
    "assai": 1.08, "molto": 1.08, "con brio": 1.05, "con fuoco": 1.06, "con spirito": 1.05, "vivace": 1.08,
    "con moto": 1.08, "mosso": 1.08, "più": 1.0, "non troppo": 0.93, "ma non troppo": 0.93, "ma non tanto": 0.94,
    "non tanto": 0.94, "moderato": 0.92, "sostenuto": 0.92, "quasi allegretto": 1.15, "quasi allegro": 1.2,
    "aber nicht zu": 0.93, "nicht zu": 0.93, "doch nicht zu": 0.93, "mais pas trop": 0.93, "pas trop": 0.93,
    "but not too": 0.93, "not too": 0.93, "un poco": 0.98, "poco": 0.98, "giusto": 1.0,
}  # fmt: skip

SLOWING = (
    "rit.", "ritardando", "rall.", "rallentando", "allargando", "calando", "morendo", "smorzando", "smorz.", "slower",
    "allarg.", "rallent.", "slentando", "strascinando", "trattenuto", "ritard.", "langsamer werdend", "zurückhaltend",
    "verbreitern", "verlangsamen", "breiter werdend", "nachlassend", "cédez", "en cédant", "retenez", "en retenant",
    "ralentir", "en ralentissant", "ralentissant", "élargir", "en élargissant", "slowing", "slow down", "broadening",
    "getting slower", "gradually slower",
)  # fmt: skip
SPEEDING = (
    "accel.", "accelerando", "stringendo", "faster", "string.", "affrettando", "affrett.", "incalzando", "precipitando",
    "beschleunigen", "beschleunigend", "schneller werdend", "drängend", "eilend", "treibend", "pressez",
    "en pressant", "serrez", "en serrant", "accélérez", "en animant", "getting faster", "gradually faster", "speed up",
    "pushing",
)  # fmt: skip
# At once, and the share of the tempo that then holds: our own choice, but for what a word says in numbers.
AT_ONCE: dict[str, float] = {
    "ritenuto": 0.8, "meno mosso": 0.85, "più mosso": 1.15, "riten.": 0.8, "più lento": 0.85, "più largo": 0.8,
    "più adagio": 0.85, "più tranquillo": 0.9, "meno allegro": 0.88, "più allegro": 1.15, "più animato": 1.12,
    "più vivo": 1.15, "più presto": 1.2, "stretto": 1.15, "mosso": 1.1, "doppio movimento": 2.0,
    "doppio più mosso": 2.0, "doppio più lento": 0.5, "double time": 2.0, "half time": 0.5, "langsamer": 0.85,
    "etwas langsamer": 0.92, "ruhiger": 0.9, "breiter": 0.85, "schneller": 1.15, "etwas schneller": 1.08,
    "bewegter": 1.1, "etwas bewegter": 1.05, "lebhafter": 1.12, "doppelt so schnell": 2.0, "plus lent": 0.85,
    "moins vite": 0.88, "plus vite": 1.15, "plus animé": 1.12, "un peu plus lent": 0.92, "un peu plus vite": 1.08,
    "plus calme": 0.9, "retenu": 0.85, "l'istesso tempo": 1.0, "lo stesso tempo": 1.0, "listesso": 1.0,
}  # fmt: skip
TO_THE_FIRST = (
    "Tempo I", "tempo primo", "a tempo primo", "Tempo I°", "Tempo 1", "Tempo 1°", "Tempo Iº", "erstes Zeitmaß",
    "premier mouvement", "1er mouvement", "original tempo", "tempo come prima", "come prima", "wie zuerst",
)  # fmt: skip
RETURNING = (
    "a tempo", *TO_THE_FIRST, "in tempo", "im Tempo", "im Zeitmaß", "Zeitmaß", "wieder im Tempo", "au mouvement",
    "au Mouvt", "Mouvt",
)  # fmt: skip

EXPRESSIONS = (
    # Italian
    "dolce", "cantabile", "espressivo", "espr.", "legato", "leggiero", "sostenuto", "con brio", "con moto", "con anima",
    "con fuoco", "semplice", "grazioso", "maestoso", "tranquillo", "animato", "agitato", "mezza voce", "sotto voce",
    "una corda", "tre corde", "simile", "sempre", "subito", "poco a poco", "con pedale", "senza pedale", "con ped.",
    "senza ped.", "marcato il canto", "rubato", "ad lib.", "L.H.", "R.H.", "m.d.", "m.s.", "solo", "tutti", "pizz.",
    "arco", "div.", "unis.", "loco", "G.P.", "attacca", "tacet", "marc.", "scherzando", "giocoso", "pesante", "secco",
    "dolente", "appassionato", "cantando", "lontano", "teneramente", "niente", "colla voce", "non legato", "sub.",
    "affettuoso", "amabile", "amoroso", "brillante", "brioso", "burlesco", "calmo", "cant.", "capriccioso", "cedendo",
    "con affetto", "con amore", "con bravura", "con calore", "con delicatezza", "con dolcezza", "con dolore",
    "con espressione", "con forza", "con grazia", "con gusto", "con passione", "con slancio", "con sordino",
    "con sord.",
    "senza sordino", "senza sord.", "con spirito", "con tenerezza", "con tutta forza", "deciso", "delicato",
    "deliberato",
    "disperato", "dolcissimo", "dolciss.", "doloroso", "drammatico", "eroico", "energico", "esaltato", "espress.",
    "estinto", "facile", "feroce", "fermo", "festivo", "flebile", "freddo", "funebre", "furioso", "gaio", "gentile",
    "giusto", "grandioso", "imperioso", "impetuoso", "in modo di", "in rilievo", "innocente", "inquieto", "irato",
    "lacrimoso", "lagrimoso", "lamentoso", "languido", "largamente", "legatissimo", "leggero", "legg.", "leggierissimo",
    "leggiadro", "lugubre", "lusingando", "ma marcato", "marcatissimo", "martellato", "mesto", "misterioso", "morbido",
    "mormorando", "nobile", "nobilmente", "parlando", "parlante", "pastorale", "patetico", "perdendosi", "perdendo",
    "piacevole", "piangendo", "pomposo", "portamento", "quasi", "quasi recitativo", "quasi una fantasia", "religioso",
    "recitativo", "recit.", "risoluto", "ritmico", "rustico", "scherzoso", "sciolto", "senza misura", "senza rigore",
    "serioso", "sentito", "smorfioso", "soave", "solenne", "sonore", "sonoro", "sordamente", "sospirando", "spianato",
    "spiccato", "spiritoso", "staccatissimo", "stacc.", "strepitoso", "stridente", "suave", "tempestoso",
    "tempo rubato",
    "tenebroso", "ten.", "tenerezza", "timoroso", "tosto", "tremolando", "trionfante", "triste", "veloce", "velato",
    "vibrato", "vigoroso", "violento", "vivamente", "volante", "con ottava", "coll'ottava", "col canto", "colla parte",
    "colla destra", "colla sinistra", "mano destra", "mano sinistra", "a piacere", "a due", "a 2", "a capriccio",
    "ad libitum", "senza tempo", "meno", "più", "molto", "ossia", "ottava alta", "tasto solo",
    "tutte le corde", "tutta forza",
    "due corde", "t.c.", "u.c.", "sul ponticello", "sul pont.", "sul tasto", "col legno", "divisi", "unisono", "V.S.",
    "volti subito", "segue", "tacet al fine", "lunga", "lunga pausa", "corta", "l.v.", "laissez vibrer",
    "lasciar vibrare",
    "più f", "più p", "meno f", "meno p", "più forte", "più piano", "sempre p", "sempre f", "sempre pp", "sempre ff",
    "poco f", "poco p", "quasi f", "quasi p", "mezza", "messa di voce", "m.v.", "s.v.", "ma non troppo", "non troppo",
    # hands and pedals
    "½", "sost.", "sim.", "a2", "LH", "RH", "m.g.", "M.D.", "M.S.", "M.G.", "l.h.", "r.h.", "left hand",
    "right hand", "½ ped.", "half pedal",
    "half ped.", "sost. ped.", "sostenuto pedal", "Ped. simile", "ped. simile", "with pedal", "no pedal", "2 Ped.", "✱",
    "mit Pedal", "ohne Pedal", "avec pédale", "sans pédale",
    # German
    "ausdrucksvoll", "mit Ausdruck", "innig", "zart", "leise", "laut", "lieblich", "sanft", "leicht", "kräftig",
    "feierlich", "fließend", "gebunden", "getragen", "gesangvoll", "heftig", "hervortretend", "markiert", "mit Humor",
    "mit Kraft", "mit Empfindung", "mit Dämpfer", "ohne Dämpfer", "nach und nach", "nicht schleppen", "nicht eilen",
    "singend", "stürmisch", "träumerisch", "traurig", "weich", "wuchtig", "düster", "immer", "sehr", "etwas",
    "linke Hand",
    "rechte Hand", "l. H.", "r. H.", "verhallend", "verklingend", "frei", "einfach", "schwungvoll", "geheimnisvoll",
    # French
    "doux", "très doux", "expressif", "avec expression", "sans expression", "chanté", "bien chanté",
    "en dehors", "léger",
    "très léger", "calme", "avec âme", "avec élan", "gracieux", "mystérieux", "murmuré", "sans presser",
    "sans ralentir", "simplement", "souple", "sonore", "soutenu", "sourdine", "avec sourdine", "main droite",
    "main gauche", "à l'aise", "librement", "lointain", "tendre", "tendrement", "triomphant", "très", "peu à peu",
    "un peu", "marqué", "détaché", "lié", "bien rythmé", "rêveusement", "joyeux",
    # English
    "expressively", "with expression", "sweetly", "gently", "tenderly", "softly", "freely", "lightly", "smoothly",
    "majestically", "mysteriously", "sadly", "joyfully", "playfully", "singing", "with feeling", "with motion",
    "with pedal", "without pedal", "rhythmically", "in time", "out of time", "vamp", "vamp till ready", "ad lib",
    "open", "fill", "fills", "break",
    "stop time", "with mute", "muted", "mute", "heavily", "delicately", "warmly", "flowing", "steady", "with spirit",
    "on cue", "last time only", "first time only", "2nd time only", "play 2nd time only", "tacet 1st time", "let ring",
    "colla voce", "as before", "dreamily", "boldly", "hushed", "distant", "rit. last time",
)  # fmt: skip

# Other ways to write what has a sign: as written, the words that are understood already.
SAME: dict[str, str] = {
    "forte": "f", "piano": "p", "mezzo forte": "mf", "mezzoforte": "mf", "mezzo piano": "mp",
    "mezzopiano": "mp", "fortissimo": "ff", "pianissimo": "pp", "fortississimo": "fff", "pianississimo": "ppp",
    "sforzando": "sfz", "sforzato": "sfz", "forzando": "fz", "forte piano": "fp", "fortepiano": "fp",
    "rinforzando": "rfz", "rinf.": "rfz", "rinforz.": "rfz", 
    "swell": "<", "wedge": ">", "decresc": "decresc.", "crescendo hairpin": "<", "diminuendo hairpin": ">",
    "acciacc.": "grace note", "appoggiatura": "grace notes", "appogg.": "grace notes",
    "prall": "inverted mordent", "pralltriller": "inverted mordent", "praller": "inverted mordent",
    "upper mordent": "inverted mordent", "lower mordent": "mordent", "gruppetto": "turn", "doppelschlag": "turn",
    "legatura": "slur", "Bindebogen": "slur", "phrasing slur": "slur", "liaison": "slur",
    "octave up": "8va", "8": "8va", "ottava alta": "8va", "ottava bassa": "8vb", "8ba": "8vb", "15": "15ma",
    "pedal down": "pedal", "Pedal": "pedal", "con Ped.": "pedal",
    "fermata sign": "fermata", "corona": "fermata", "hold": "fermata", "point d'orgue": "fermata",
    "glissando line": "glissando", "roll": "arpeggio", "rolled": "arpeggio", "arp.": "arpeggio", "arpegg.": "arpeggio",
    "arpeggiato": "arpeggio",
    "staccatissimo sign": "staccatissimo", "wedge accent": "marcato", "sharp accent": "marcato", "ten": "tenuto",
    "final barline": "final bar line", "thin-thick": "final bar line",
    "double barline": "double bar", "dotted barline": "dashed bar line", "dotted bar line": "dashed bar line",
    "dashed barline": "dashed bar line", "tr~": "trill", "tr~~~": "trill", "*": "✱", "volta": "1st ending",
    "first ending": "1st ending", "second ending": "2nd ending", "third ending": "3rd ending",
    "prima volta": "1st ending", "seconda volta": "2nd ending", "volta 1": "1st ending", "volta 2": "2nd ending",
    "1. volta": "1st ending", "2. volta": "2nd ending", "first time bar": "1st ending", "second time bar": "2nd ending",
    "begin repeat": "repeat start", "open repeat": "repeat start", "close repeat": "repeat end",
    "repeat sign": "repeat end", "DC": "D.C.", "DS": "D.S.", "DC al Fine": "D.C. al Fine", "DS al Fine": "D.S. al Fine",
    "DC al Coda": "D.C. al Coda", "DS al Coda": "D.S. al Coda", "dal segno": "D.S.", "da capo": "D.C.",
    "da capo al coda": "D.C. al Coda", "Coda sign": "coda", "to ⊕": "to coda", "⊕": "coda", "𝄌": "coda", "𝄋": "segno",
}  # fmt: skip
SECTIONS = (
    "Verse", "Chorus", "Intro", "Introduction", "Bridge", "Refrain", "Outro", "Interlude", "Pre-chorus", "Prechorus",
    "Verse 1", "Verse 2", "Verse 3", "Chorus 1", "Chorus 2", "Ending", "Tag", "Trio", "Solo section", "Instrumental",
    "Middle eight", "Strophe", "Vorspiel", "Nachspiel", "Zwischenspiel", "Kehrvers", "Couplet",
)  # fmt: skip
# Note values by their English names of Britain.
VALUES = {
    "semibreve": "whole", "minim": "half", "crotchet": "quarter", "quaver": "eighth", "semiquaver": "16th",
    "w": "whole", "h": "half", "q": "quarter", "e": "eighth",
}  # fmt: skip
