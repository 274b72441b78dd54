"""The words of the trade: what loggers write in channel names, in six languages, by what they mean.

One entry is a meaning with its words, language by language; ``any`` holds abbreviations and signs that are written
alike everywhere. Words stand without accents and umlauts (``ae`` and ``a`` are both understood for ``ä``), in small
letters. A word may stand under several meanings; the rest of the name decides. A meaning joined by ``+`` says two
things at once (``fl`` is front and left). To teach a word, add it here.
"""


def words_of(text: str) -> frozenset[str]:
    """Words apart by blanks, as a set."""
    return frozenset(text.split())


WORDS: dict[str, dict[str, str]] = {
    # ---- what is measured: the thing
    "brake": {
        "any": "brk brak brks",
        "en": "brake brakes braking",
        "de": "bremse bremsen brems",
        "fr": "frein freins freinage",
        "es": "freno frenos frenado frenada",
        "it": "freno freni frenata",
        "nl": "rem remmen",
    },
    "throttle": {
        "any": "thr throt thrtl tps1 dk gas aps pps",
        "en": "throttle accelerator accel",
        "de": "gas drosselklappe drossel fahrpedal vollgas",
        "fr": "accelerateur accel gaz papillon",
        "es": "acelerador acel mariposa",
        "it": "acceleratore farfalla",
        "nl": "gas gasklep acceleratie",
    },
    "throttle+position": {"any": "tps app apps etc"},
    "pedal": {
        "any": "ped pdl",
        "en": "pedal",
        "de": "pedal",
        "fr": "pedale",
        "es": "pedal",
        "it": "pedale",
        "nl": "pedaal",
    },
    "clutch": {
        "any": "clu ",
        "en": "clutch",
        "de": "kupplung kuppl",
        "fr": "embrayage",
        "es": "embrague",
        "it": "frizione",
        "nl": "koppeling koppelings",
    },
    "steering": {
        "any": "str steer swa st",
        "en": "steering steer steered handwheel",
        "de": "lenk lenkung lenkrad lenken",
        "fr": "volant direction braquage",
        "es": "volante direccion",
        "it": "volante sterzo sterzata",
        "nl": "stuur stuurwiel stuurhoek",
    },
    "steering+angle": {"any": "sas lws"},
    "engine": {
        "any": "eng mot e",
        "en": "engine crank crankshaft",
        "de": "motor kurbelwelle",
        "fr": "moteur vilebrequin",
        "es": "motor ciguenal",
        "it": "motore",
        "nl": "motor krukas",
    },
    "wheel": {
        "any": "whl wh whls ws",
        "en": "wheel wheels",
        "de": "rad raeder",
        "fr": "roue roues",
        "es": "rueda ruedas",
        "it": "ruota ruote",
        "nl": "wiel wielen",
    },
    "wheel+speed": {"any": "wss wspd wspeed"},
    "tyre": {
        "any": "tyr tpms ty",
        "en": "tyre tyres tire tires",
        "de": "reifen reif",
        "fr": "pneu pneus pneumatique",
        "es": "neumatico neumaticos goma llanta",
        "it": "pneumatico pneumatici gomma gomme",
        "nl": "band banden",
    },
    "oil": {"en": "oil", "de": "oel motoroel", "fr": "huile", "es": "aceite", "it": "olio", "nl": "olie"},
    "water": {
        "any": "h2o wtr cool wat",
        "en": "water coolant cooling",
        "de": "wasser kuehlwasser kuehlmittel kuehl kuehlung",
        "fr": "eau refroidissement ldr",
        "es": "agua refrigerante refrigeracion",
        "it": "acqua raffreddamento refrigerante",
        "nl": "water koelwater koelvloeistof koel koeling",
    },
    "water+temperature": {"any": "ect clt"},
    "oil+temperature": {"any": "eot"},
    "oil+pressure": {"any": "eop"},
    "ambient+temperature": {"any": "oat"},
    "fuel": {
        "any": "",
        "en": "fuel petrol gasoline tank",
        "de": "kraftstoff benzin sprit tank treibstoff",
        "fr": "carburant essence reservoir",
        "es": "combustible gasolina carburante deposito",
        "it": "carburante benzina serbatoio",
        "nl": "brandstof benzine tank",
    },
    "battery": {
        "any": "bat batt kl30",
        "en": "battery supply",
        "de": "batterie bordnetz bord versorgung",
        "fr": "batterie alimentation",
        "es": "bateria alimentacion",
        "it": "batteria alimentazione",
        "nl": "accu batterij voeding",
    },
    "battery+voltage": {"any": "vbat vbatt ubat ubatt"},
    "ambient": {
        "any": "amb env",
        "en": "ambient air outside outdoor weather",
        "de": "aussen umgebung umgebungs luft aussenluft",
        "fr": "ambiant ambiante air exterieur exterieure",
        "es": "ambiente ambiental aire exterior",
        "it": "ambiente aria esterna esterno",
        "nl": "omgeving omgevings lucht buiten buitenlucht",
    },
    "track": {
        "any": "trk",
        "en": "track road tarmac asphalt surface",
        "de": "strecke strecken fahrbahn asphalt strasse",
        "fr": "piste route bitume sol",
        "es": "pista asfalto suelo",
        "it": "pista asfalto",
        "nl": "baan asfalt wegdek circuit",
    },
    "gps": {
        "any": "gps gnss gls rtk dgps",
        "en": "receiver satellite",
        "de": "empfaenger satelliten",
        "fr": "recepteur satellite",
        "es": "receptor satelite",
        "it": "ricevitore satellite satellitare",
        "nl": "ontvanger satelliet",
    },
    "gps+speed": {"any": "sog"},
    "carrier": {
        "any": "veh fzg car",
        "en": "road vehicle car chassis body ground overground ",
        "de": "fahrzeug fahr auto aufbau wagen",
        "fr": "vehicule voiture caisse chassis",
        "es": "vehiculo coche chasis carroceria",
        "it": "veicolo vettura telaio auto macchina",
        "nl": "rij voertuig auto chassis wagen",
    },
    "gearbox": {
        "any": "gbx gbox trn",
        "en": "gearbox transmission",
        "de": "getriebe",
        "fr": "boite transmission",
        "es": "caja transmision",
        "it": "cambio trasmissione",
        "nl": "versnellingsbak transmissie bak",
    },
    "gear": {
        "any": "gr",
        "en": "gear",
        "de": "gang gangstufe fahrstufe",
        "fr": "rapport vitesse",
        "es": "marcha cambio ",
        "it": "marcia",
        "nl": "versnelling",
    },
    "lap": {
        "en": "lap laps",
        "de": "runde runden",
        "fr": "tour tours",
        "es": "vuelta vueltas",
        "it": "giro giri",
        "nl": "ronde ronden",
    },
    "disc": {
        "any": "rotor caliper",
        "en": "disc disk discs",
        "de": "scheibe scheiben",
        "fr": "disque disques etrier",
        "es": "disco discos pinza",
        "it": "disco dischi pinza",
        "nl": "schijf schijven",
    },
    "line": {
        "any": "hyd mc hbz",
        "en": "line circuit hydraulic cylinder master axle",
        "de": "kreis leitung hauptbremszylinder zylinder hydraulik achse",
        "fr": "circuit conduite maitre cylindre essieu hydraulique",
        "es": "circuito linea cilindro maestro eje hidraulica",
        "it": "circuito linea pompa cilindro asse idraulica",
        "nl": "circuit leiding hoofdcilinder cilinder as hydraulisch",
    },
    # ---- the quantity
    "speed": {
        "any": "spd vel v speedkmh",
        "en": "speed velocity",
        "de": "geschwindigkeit geschw tempo",
        "fr": "vitesse vit",
        "es": "velocidad",
        "it": "velocita",
        "nl": "snelheid snelh",
    },
    "acceleration": {
        "any": "acc acl accel g gforce ge gs",
        "en": "acceleration accelerometer",
        "de": "beschleunigung beschl beschleunigungs",
        "fr": "acceleration accelerometre",
        "es": "aceleracion acel acelerometro",
        "it": "accelerazione accelerometro",
        "nl": "versnelling versnellings acceleratie",
    },
    "temperature": {
        "any": "temp tmp t th",
        "en": "temperature",
        "de": "temperatur",
        "fr": "temperature",
        "es": "temperatura",
        "it": "temperatura",
        "nl": "temperatuur",
    },
    "pressure": {
        "any": "press prs pres p prss",
        "en": "pressure",
        "de": "druck",
        "fr": "pression",
        "es": "presion",
        "it": "pressione",
        "nl": "druk spanning",
    },
    "position": {
        "any": "pos psn",
        "en": "position travel stroke displacement opening",
        "de": "stellung weg position lage oeffnung stand",
        "fr": "position course ouverture enfoncement",
        "es": "posicion recorrido apertura carrera",
        "it": "posizione corsa apertura",
        "nl": "positie stand weg slag opening",
    },
    "angle": {
        "any": "ang",
        "en": "angle",
        "de": "winkel einschlag",
        "fr": "angle",
        "es": "angulo giro",
        "it": "angolo",
        "nl": "hoek",
    },
    "rate": {
        "any": "omega dot om",
        "en": "rate angular",
        "de": "rate geschwindigkeit winkelgeschwindigkeit",
        "fr": "taux vitesse angulaire",
        "es": "tasa velocidad angular",
        "it": "tasso velocita angolare",
        "nl": "snelheid hoeksnelheid",
    },
    "gyro": {
        "any": "gyr gyro",
        "en": "gyroscope",
        "de": "gyroskop kreisel drehrate",
        "fr": "gyroscope gyrometre",
        "es": "giroscopio giro",
        "it": "giroscopio",
        "nl": "gyroscoop",
    },
    "rotation": {
        "any": "rpm n rev ne upm",
        "en": "revs revolutions rotational",
        "de": "drehzahl tourenzahl umdrehungen touren",
        "fr": "regime tours rotation tr",
        "es": "regimen revoluciones vueltas rev",
        "it": "giri regime",
        "nl": "toerental toeren omwentelingen",
    },
    "distance": {
        "any": "dist s dst odo mileage",
        "en": "distance odometer driven",
        "de": "distanz strecke wegstrecke weg streckenlaenge entfernung",
        "fr": "distance parcourue",
        "es": "distancia recorrida",
        "it": "distanza percorsa",
        "nl": "afstand weg afgelegd",
    },
    "voltage": {
        "any": "volt volts u v",
        "en": "voltage",
        "de": "spannung",
        "fr": "tension",
        "es": "voltaje tension",
        "it": "tensione voltaggio",
        "nl": "spanning",
    },
    "level": {
        "any": "lvl lev qty vol",
        "en": "level remaining quantity amount volume load content left rem",
        "de": "stand fuellstand menge inhalt rest",
        "fr": "niveau quantite restant",
        "es": "nivel cantidad restante",
        "it": "livello quantita residuo",
        "nl": "niveau peil inhoud hoeveelheid",
    },
    "wear": {
        "en": "wear worn tread",
        "de": "verschleiss abnutzung profil",
        "fr": "usure",
        "es": "desgaste",
        "it": "usura",
        "nl": "slijtage",
    },
    "height": {
        "any": "alt ele elev hgt",
        "en": "altitude elevation height",
        "de": "hoehe hoehenlage",
        "fr": "altitude hauteur",
        "es": "altitud altura elevacion",
        "it": "altitudine altezza quota",
        "nl": "hoogte",
    },
    "latitude": {
        "any": "lat",
        "en": "latitude",
        "de": "breitengrad breite geobreite",
        "fr": "latitude",
        "es": "latitud",
        "it": "latitudine",
        "nl": "breedtegraad breedte",
    },
    "longitude": {
        "any": "lon lng long",
        "en": "longitude",
        "de": "laengengrad laenge",
        "fr": "longitude",
        "es": "longitud",
        "it": "longitudine",
        "nl": "lengtegraad lengte",
    },
    "east": {
        "any": "e",
        "en": "east easting",
        "de": "ost osten ostwert rechtswert",
        "fr": "est",
        "es": "este",
        "it": "est",
        "nl": "oost oosten",
    },
    "north": {
        "any": "n",
        "en": "north northing",
        "de": "nord norden nordwert hochwert",
        "fr": "nord",
        "es": "norte",
        "it": "nord",
        "nl": "noord noorden",
    },
    "heading": {
        "any": "hdg cog crs azi",
        "en": "heading course bearing azimuth direction",
        "de": "kurs fahrtrichtung richtung kurswinkel azimut steuerkurs",
        "fr": "cap azimut route",
        "es": "rumbo azimut curso",
        "it": "rotta prua direzione azimut",
        "nl": "koers richting rijrichting azimut",
    },
    "yaw": {
        "any": "yaw psi",
        "en": "yawing",
        "de": "gier",
        "fr": "lacet",
        "es": "guinada",
        "it": "imbardata",
        "nl": "gier",
    },
    "yaw+rate": {"any": "yawrate yr gierrate"},
    "lateral": {
        "any": "lat transv q",
        "en": "lateral transverse sideways side cross",
        "de": "quer lateral seiten seitlich",
        "fr": "laterale lateral transversale transversal",
        "es": "lateral transversal",
        "it": "laterale trasversale",
        "nl": "dwars lateraal laterale zijwaarts zijwaartse",
    },
    "longitudinal": {
        "any": "long lon lng longi longit",
        "en": "longitudinal forward inline",
        "de": "laengs longitudinal",
        "fr": "longitudinale longitudinal",
        "es": "longitudinal",
        "it": "longitudinale",
        "nl": "langs longitudinaal longitudinale",
    },
    "vertical": {
        "any": "vert vrt",
        "en": "vertical",
        "de": "vertikal hoch",
        "fr": "verticale vertical",
        "es": "vertical",
        "it": "verticale",
        "nl": "verticaal verticale",
    },
    "acceleration+axis_x": {"any": "gx ax accx accelx"},
    "acceleration+axis_y": {"any": "gy ay accy accely"},
    "acceleration+axis_z": {"any": "gz az accz accelz"},
    "acceleration+lateral": {"any": "glat alat latg"},
    "acceleration+longitudinal": {"any": "glong glon alon longg "},
    "gyro+axis_z": {"any": "wz gyroz"},
    "axis_x": {"any": "x"},
    "axis_y": {"any": "y"},
    "axis_z": {"any": "z"},
    "number": {
        "any": "no nr num nb cnt n ctr idx",
        "en": "number count counter index",
        "de": "nummer zaehler anzahl zahl",
        "fr": "numero compteur nombre",
        "es": "numero contador",
        "it": "numero contatore conteggio",
        "nl": "nummer teller aantal",
    },
    "trigger": {
        "any": "trig bcn mrk",
        "en": "trigger beacon marker pulse gate",
        "de": "ausloeser lichtschranke bake impuls marke trigger",
        "fr": "balise declencheur impulsion top",
        "es": "baliza disparo pulso marca meta",
        "it": "traguardo fotocellula impulso boa",
        "nl": "baken puls trigger lichtpoort",
    },
    "startline": {
        "en": "start finish startfinish line",
        "de": "start ziel",
        "fr": "depart arrivee ligne",
        "es": "salida linea",
        "it": "partenza arrivo linea",
        "nl": "start finish lijn",
    },
    "validity": {
        "any": "ok",
        "en": "valid invalid validity invalidated offtrack",
        "de": "gueltig ungueltig gueltigkeit",
        "fr": "valide invalide valable validite",
        "es": "valida valido invalida invalido validez",
        "it": "valido valida invalido validita",
        "nl": "geldig ongeldig geldigheid",
    },
    "limit": {
        "any": "lim",
        "en": "limit limits limiter limited",
        "de": "grenze grenzen grenzwert begrenzer begrenzung limit",
        "fr": "limite limites limiteur",
        "es": "limite limites limitador",
        "it": "limite limiti limitatore",
        "nl": "limiet limieten grens begrenzer",
    },
    "share": {
        "any": "pct perc prc norm",
        "en": "fraction percent percentage share normalized normalised progress ratio",
        "de": "anteil prozent fortschritt",
        "fr": "fraction pourcentage pourcent progression",
        "es": "fraccion porcentaje progreso",
        "it": "frazione percentuale progresso",
        "nl": "fractie percentage procent aandeel voortgang",
    },
    # ---- where
    "front": {
        "any": "frt fnt f va vo vor",
        "en": "front fore",
        "de": "vordere vorderer vorderes vorder vorne vorn vorder vorderachse vorderrad",
        "fr": "avant av",
        "es": "delanteros delanteras delantero delantera delant del",
        "it": "anteriori anteriore ant",
        "nl": "voor vooras voorwiel vooraan voorste",
    },
    "rear": {
        "any": "r ha hi",
        "en": "rear back aft",
        "de": "hintere hinterer hinteres hinten hinter hinterachse hinterrad",
        "fr": "arriere arr ar",
        "es": "traseros traseras trasero trasera tras",
        "it": "posteriori posteriore post ",
        "nl": "achter achteras achterwiel achteraan achterste",
    },
    "left": {
        "any": "l lh lhs li",
        "en": "left",
        "de": "links linkes linke",
        "fr": "gauche gch g",
        "es": "izquierda izquierdo izq izqda i",
        "it": "sinistra sinistro sx sin s",
        "nl": "links linker",
    },
    "right": {
        "any": "r rh rhs re",
        "en": "right",
        "de": "rechts rechtes rechte",
        "fr": "droite droit dr d",
        "es": "derecha derecho der dcha dcho d",
        "it": "destra destro dx des d",
        "nl": "rechts rechter",
    },
    "front+left": {"any": "fl lf vl lv avg ag di as flw", "it": "antsx asx", "es": "deliz"},
    "front+right": {"any": "fr rf vr rv avd ad dd frw", "it": "antdx adx"},
    "rear+left": {"any": "rl lr hl la al arg ti ps bl", "it": "postsx psx"},
    "rear+right": {"any": "rr hr ra ard td pd br", "it": "postdx pdx"},
    "inner": {
        "any": "int inn in i",
        "en": "inner inside inboard",
        "de": "innen innere",
        "fr": "interieur interieure",
        "es": "interior interno",
        "it": "interno interna",
        "nl": "binnen binnenkant binnenzijde",
    },
    "middle": {
        "any": "mid ctr cen m c med",
        "en": "middle centre center central",
        "de": "mitte mittig mittlere",
        "fr": "mil milieu central centrale centre",
        "es": "medio central centro",
        "it": "centro centrale medio ",
        "nl": "midden middelste",
    },
    "outer": {
        "any": "ext out outr o aus",
        "en": "outer outside outboard",
        "de": "aussen aeussere",
        "fr": "exterieur exterieure",
        "es": "exterior externo",
        "it": "esterno esterna",
        "nl": "buiten buitenkant buitenzijde",
    },
    # ---- what makes it another quantity, or no measurement at all
    "against": {
        "any": "tgt sp req cmd dem ref err std dev sd hdop pdop vdop dop fix sw stat mode min max fail flt corr cal tol"
        " bal diff grad delta ss dt",
        "en": "target setpoint desired demand demanded request requested command reference error fault deviation offset"
        " correction difference accuracy precision quality switch status state flag active enable enabled light"
        " lamp warning alarm led button mode map table curve gain factor balance bias distribution split"
        " calibration scale multiplier minimum maximum peak threshold predicted theoretical ideal best last"
        " previous prev optimal optimum gradient derivative change slip lock locked spin shift up down paddle"
        "  time timer clock duration age variance noise to next blip aid assist intervention control"
        " cut strategy preset gap trend counterpart simulated",
        "de": "soll sollwert vorgabe anforderung fehler abweichung genauigkeit korrektur differenz guete"
        " qualitaet schalter status zustand aktiv lampe licht leuchte warnung alarm taste modus kennfeld faktor"
        " verteilung minimum maximum spitze schwelle beste letzte vorherige optimal aenderung schlupf zeit"
        " uhrzeit dauer wippe gradient verhaeltnis balance anforderungs regelung eingriff bremskraftverteilung"
        "  referenz maximal minimal",
        "fr": "consigne cible demande erreur ecart exactitude correction qualite interrupteur contacteur etat statut"
        " actif active voyant feu alerte alarme bouton mode cartographie facteur repartition minimum maximum seuil"
        " meilleur dernier precedent optimal variation glissement temps heure duree palette reference mini maxi"
        " theorique prevu",
        "es": "objetivo consigna solicitado solicitud demanda error desviacion exactitud correccion calidad interruptor"
        " estado activo luz testigo aviso alarma boton modo mapa factor reparto minimo maximo umbral mejor ultimo"
        " ultima anterior optimo deslizamiento tiempo hora duracion leva referencia previsto relacion",
        "it": "obiettivo richiesta richiesto errore scostamento accuratezza precisione correzione qualita interruttore"
        " stato attivo luce spia avviso allarme pulsante modo modalita mappa fattore ripartizione minimo massimo"
        " soglia migliore ultimo ultima precedente ottimo variazione slittamento tempo ora durata paletta"
        " riferimento previsto rapporto bilanciamento",
        "nl": "doel gewenst gewenste streef gevraagd gevraagde fout afwijking nauwkeurigheid correctie kwaliteit"
        " schakelaar status toestand actief lampje waarschuwing knop modus verdeling factor minimum maximum"
        " drempel beste laatste vorige optimaal verandering tijd uur duur flipper referentie verhouding"
        " balans richtwaarde",
    },
    "force": {
        "any": "trq tq nm pwr",
        "en": "torque force power energy work",
        "de": "drehmoment moment kraft leistung strom energie",
        "fr": "couple force effort puissance courant energie",
        "es": "par fuerza potencia corriente energia esfuerzo",
        "it": "coppia potenza corrente energia sforzo",
        "nl": "koppel kracht vermogen stroom energie",
    },
    "flow": {
        "any": "cons",
        "en": "flow used consumption consumed usage economy injected",
        "de": "verbrauch durchfluss verbraucht",
        "fr": "consommation debit consomme",
        "es": "consumo caudal consumido",
        "it": "consumo portata consumato",
        "nl": "verbruik debiet verbruikt",
    },
    "other": {
        "any": "tc abs esp dsc egt iat map maf mat drs ers kers afr o2 tcs hr bpm rh gyrox gyroy cpu pcb ",
        "en": "turbo turbocharger boost wastegate manifold intake inlet charge charger intercooler exhaust lambda"
        " injector injection ignition spark knock differential diff cam camshaft alternator starter"
        " pump fan compressor heater wing aero damper suspension spring shock bump ride pit pits lane wind humidity"
        " rain heart driver helmet seat cabin cockpit radio hub fuelrail rail crankcase roll pitch"
        " sideslip drift attitude altimeter barometric barometer camber toe caster load downforce drag hybrid mgu"
        " inverter phase coil radiator cooler prop propshaft driveshaft shaft output input turbine servo tail"
        " carcass core vacuum secondary handbrake parking hand park display dash box boxes sector"
        " launch antilock traction stability pad pads trail retarder jake exhaust",
        "de": "turbolader turbo ladedruck lade ladeluft ansaug saugrohr abgas einspritz zuendung klopf"
        " differential nockenwelle ventil lichtmaschine anlasser pumpe luefter verdichter daempfer federweg feder"
        " fahrwerk boxengasse boxen wind feuchte luftfeuchte regen fahrer sitz innenraum wank nick rollen"
        " schwimm schwimmwinkel sturz spur last abtrieb handbremse feststell ladung sektor"
        " kardanwelle antriebswelle",
        "fr": "turbo suralimentation admission echappement injection allumage cliquetis differentiel arbre"
        " soupape alternateur demarreur pompe ventilateur compresseur amortisseur suspension ressort stands"
        " vent humidite pluie cardiaque pilote siege habitacle roulis tangage derive carrossage charge appui"
        " radiateur main secteur derapage collecteur",
        "es": "turbo admision escape inyeccion encendido detonacion diferencial arbol valvula alternador arranque bomba"
        " ventilador compresor amortiguador suspension muelle pits boxes viento humedad lluvia cardiaco piloto"
        " asiento cabina balanceo cabeceo deriva caida carga radiador mano sector colector alabeo",
        "it": "turbo aspirazione scarico iniezione accensione detonazione differenziale albero valvola alternatore"
        " avviamento ventola compressore ammortizzatore sospensione molla box vento umidita pioggia cardiaco"
        " pilota sedile abitacolo rollio beccheggio deriva campanatura carico radiatore mano settore collettore"
        " stazionamento",
        "nl": "turbo inlaat uitlaat inspuiting ontsteking pingel differentieel nokkenas klep dynamo startmotor pomp"
        " ventilator compressor demper schokdemper veer ophanging pit pitstraat wind vocht regen hartslag"
        " bestuurder stoel cabine rol stamp drift camber belasting radiateur hand sector laaddruk handrem",
    },
    # ---- what says nothing about the quantity
    "neutral": {
        "any": "can ch chan sig sens sensor val raw meas act ist data log ecu ems obd adc an ai imu ins dof est filt "
        " fil calc avg kmh kph mph mps bar psi kpa deg degc dps rads ms hz kw rel id tot ser bus res"
        " pr main",
        "en": "travelled traveled covered above sea the of over and sensor signal channel value actual measured raw"
        " filtered smoothed smooth logged"
        " analog analogue"
        " digital input data current instantaneous estimated calculated corrected derived average mean median"
        " primary combined fused overall global total selected engaged actual applied applied unit motion"
        " world local completed running corrected in on at by from with",
        "de": "ueber nn gefahren gefahrene der die das des im in am an auf von wert istwert signal kanal messwert"
        " gemessen aktuell aktuelle"
        " aktueller"
        " momentan gefiltert berechnet mittel mittelwert mittlere durchschnitt gesamt roh korrigiert eingelegt"
        " eingelegter eingelegte am",
        "fr": "dans mer le la les de du des d l a au aux en valeur signal capteur mesure mesuree actuel actuelle"
        " instantanee"
        " filtre"
        " filtree calcule calculee moyen moyenne total brut engage engagee corrige",
        "es": "mar sobre en el la los las de del al en valor senal sensor medido medida actual instantanea filtrado"
        " filtrada"
        " calculado"
        " calculada media total bruto engranada metida corregido",
        "it": "mare percorso sul sulla il lo la gli le di da del della dello dei al alla in valore segnale sensore"
        " misurato misurata attuale"
        " istantanea filtrato filtrata calcolato calcolata media totale grezzo inserita innestata corretto",
        "nl": "boven zee gereden de het een van in op waarde signaal sensor kanaal gemeten actueel actuele huidig"
        " huidige werkelijk"
        " werkelijke gefilterd gefilterde berekend berekende gemiddeld gemiddelde totaal totale ruw ingeschakelde",
    },
}
# Letters that stand in front of a name for its quantity (vCar, nEngine, pBrakeF, TOil, aLat, rThrottle).
LEADING: dict[str, str] = {
    "v": "speed voltage", "n": "rotation number", "p": "pressure position", "t": "temperature",
    "a": "acceleration angle",
    "g": "acceleration", "r": "share position rate", "s": "distance position", "x": "position axis_x", "u": "voltage",
    "w": "rate", "d": "distance", "b": "neutral", "h": "height", "phi": "angle", "omega": "rate", "y": "axis_y",
    "z": "axis_z", "q": "lateral", "l": "level",
}  # fmt: skip
# Words too short or too common to be a part of a compound.
NOT_IN_COMPOUNDS = words_of(
    "in on at by an am of es de le la el il lo do da di al en un the map res act add tot ser fix min max hi up to"
    " no nr as ad ag dd td ti ps pd ra br bl re li va ha ar av str st clt sin der des del int ext out log abs rel"
    " id est pr bus dt ss sd sp hr rh bpm tc ve"
)
