# What people call the columns of tables, in the languages of business: one table of words, by what
# a column holds and by language, without accents, spaces and case (`plain_name()`).

#' Names of columns
#'
#' The words by which the columns of prices, holdings, trades, securities, rates and limits are
#' known, in nine languages. Spaces, signs, accents and capitals do not count: `Date de seance` is
#' `date-de-seance`. What is not in this table is said once in a sources file, see
#' [draft_sources()], or renamed in the file's header; which column is the price is also said by
#' `price =`.
#'
#' A word that means something else in another language counts only where its column holds what it
#' should: a date only where there are dates, a name only where there are no amounts, shares,
#' values and weights only where there are numbers.
#'
#' Volumes may be written in thousands and millions: `0.62M`, `1,2 Mio`. A cell of another column
#' than the price that is no number is left empty, and told.
#'
#' @eval headings_in_docs()
#' @name headings
#' @family ways to get prices
NULL

headings_in_docs <- function() {
  what <- c(
    security = "security", name = "security, unless it holds amounts",
    high_short = "high, beside another", low_short = "low, beside another",
    besides = "something else: not a price", of = "of (limits)"
  )
  said <- vapply(names(heading_words), function(role) {
    words <- heading_words[[role]]
    listed <- gsub("[ \n]+", ", ", trimws(words))
    of_each <- sprintf("%s: %s", heading_languages[names(words)], listed)
    sprintf(
      "\\item{%s}{%s.}", if (role %in% names(what)) what[[role]] else role,
      paste(of_each, collapse = ". ")
    )
  }, "")
  c("@section The words:", "\\describe{", said, "}")
}

heading_languages <- c(
  en = "English", de = "German", fr = "French", es = "Spanish", it = "Italian", nl = "Dutch",
  pt = "Portuguese", sv = "Swedish", pl = "Polish"
)

heading_words <- list(
  date = c(
    en = "date dates day datetime timestamp tradedate tradingdate tradingday pricedate
      valuationdate valuedate quotedate asofdate asof exdate time period month quarter week year
      businessdate businessday closingdate navdate sessiondate dt",
    de = "datum tag handelstag handelsdatum kursdatum stichtag bewertungstag bewertungsdatum
      borsentag notierungsdatum zeit zeitpunkt zeitstempel monat quartal woche jahr",
    fr = "jour dateseance datedeseance datecotation datedecotation datevaleur datedevaleur
      datebourse seance horodatage mois trimestre semaine annee",
    es = "fecha dia fechavalor fechacotizacion fechadecotizacion fechasesion sesion mes trimestre
      semana ano periodo",
    it = "data giorno dataquotazione datadiquotazione datavaluta seduta mese settimana anno",
    nl = "dag handelsdag koersdatum beursdag peildatum maand kwartaal jaar",
    pt = "datadopregao datapregao pregao datadereferencia datareferencia datadacota",
    sv = "kursdag manad kvartal vecka ar",
    pl = "dzien datasesji datanotowania datawyceny sesja miesiac kwartal tydzien rok"
  ),
  # Whatever it holds.
  security = c(
    en = "security symbol ticker instrument asset isin securityid id securityname fundname stock
      securitycode tickersymbol instrumentid instrumentname isincode stockcode assetname",
    de = "wertpapier wertpapierkennnummer wertpapiername wertpapierbezeichnung wkn kurzel",
    fr = "codeisin mnemonique",
    es = "instrumento simbolo codigoisin",
    it = "strumento codiceisin",
    nl = "effect effectnaam",
    pt = "codigodoativo",
    sv = "vardepapper kortnamn",
    pl = "walor"
  ),
  # Unless it holds amounts: then it is what a security of that name is worth, or something else.
  name = c(
    en = "fund name code",
    de = "titel papier fonds fondsname aktie bezeichnung kennung gattung anlage",
    fr = "titre valeur libelle nom fonds actif support",
    es = "valor titulo nombre fondo activo codigo accion",
    it = "titolo nome fondo codice denominazione azione attivo",
    nl = "naam fondsnaam aandeel",
    pt = "ativo papel nome fundo acao",
    sv = "namn fond fondnamn",
    pl = "papier nazwa spolka fundusz kod akcja"
  ),
  open = c(
    en = "open openprice opening openingprice",
    de = "eroffnung eroffnungskurs erster ersterkurs",
    fr = "ouverture ouv coursouverture coursdouverture", es = "apertura precioapertura",
    it = "prezzoapertura", nl = "openingskoers", pt = "abertura precoabertura",
    sv = "oppning oppningskurs", pl = "otwarcie kursotwarcia"
  ),
  high = c(
    en = "high highprice", de = "hoch tageshoch hochst hochstkurs tageshochst tageshochstkurs",
    fr = "plushaut coursplushaut", es = "maximo preciomaximo", it = "massimo prezzomassimo",
    nl = "hoogste hoogstekoers hoog", pt = "maxima", sv = "hogst hogsta hogstakurs",
    pl = "maksimum najwyzszy kursmaksymalny"
  ),
  low = c(
    en = "low lowprice", de = "tief tagestief tiefst tiefstkurs tagestiefst tagestiefstkurs",
    fr = "plusbas coursplusbas", es = "minimo preciominimo", it = "prezzominimo",
    nl = "laagste laagstekoers laag", pt = "minima", sv = "lagst lagsta lagstakurs",
    pl = "najnizszy kursminimalny"
  ),
  # Where another of these columns is there as well: alone they could be a security's name.
  high_short = c(en = "max", fr = "haut", es = "alto"),
  low_short = c(en = "min minimum", fr = "bas", es = "bajo"),
  close = c(
    en = "close closeprice closingprice price last lastprice nav settlement settle closing
      navpershare unitprice px prc",
    de = "schluss schlusskurs kurs letzter letzterkurs rucknahmepreis nettoinventarwert niw
      anteilwert preis",
    fr = "cloture courscloture coursdecloture cours dernier derniercours valeurliquidative prix
      vl",
    es = "cierre preciocierre preciodecierre cotizacion precio ultimo valorliquidativo",
    it = "chiusura prezzochiusura prezzodichiusura prezzo quotazione valorequota
      valoredellaquota",
    nl = "slot slotkoers koers laatste prijs intrinsiekewaarde",
    pt = "fechamento fecho precofechamento precodefechamento preco cotacao cota valordacota",
    sv = "stangning stangningskurs slutkurs senast senastbetalt pris",
    pl = "zamkniecie kurszamkniecia cena wycena wartoscjednostki"
  ),
  adjusted = c(
    en = "adjusted adjclose adjustedclose adjustedprice closeadjusted adjprice",
    de = "bereinigt bereinigterkurs schlusskursbereinigt kursbereinigt",
    fr = "ajuste coursajuste clotureajustee", es = "ajustado cierreajustado precioajustado",
    it = "rettificato chiusurarettificata prezzorettificato",
    nl = "gecorrigeerd slotkoersgecorrigeerd", pt = "fechamentoajustado precoajustado",
    sv = "justerad justeradkurs", pl = "skorygowany kursskorygowany"
  ),
  volume = c(
    en = "volume vol tradedvolume sharestraded", de = "volumen handelsvolumen gehandeltestucke",
    fr = "volumeechange titresechanges", es = "volumennegociado", it = "volumi volumiscambiati",
    nl = "handelsvolume", pt = "volumenegociado", sv = "volym antalomsatta", pl = "wolumen"
  ),
  shares = c(
    en = "shares share quantity qty units unit number numberofshares holding holdings position
      positions nominal heldquantity",
    de = "stuck stuckzahl anzahl menge bestand nominale anteile anteilszahl",
    fr = "quantite qte nombre nombredetitres nbtitres titres parts nombredeparts",
    es = "cantidad titulos numerodetitulos acciones participaciones nominales",
    it = "quantita qta quote pezzi numerotitoli numeroquote",
    nl = "aantal stuks hoeveelheid participaties",
    pt = "quantidade qtd qtde cotas numerodecotas",
    sv = "antal andelar innehav antalandelar",
    pl = "ilosc liczba sztuki szt jednostki liczbajednostek"
  ),
  value = c(
    en = "value marketvalue positionvalue marketval mv amount exposure holdingvalue",
    de = "wert marktwert kurswert depotwert betrag gegenwert",
    fr = "valeur montant valorisation valeurdemarche valeurmarche encours",
    es = "valor importe valordemercado valormercado valoracion efectivo",
    it = "valore controvalore importo valoredimercato valoremercato",
    nl = "waarde marktwaarde beurswaarde bedrag", pt = "valordoativo montante",
    sv = "varde marknadsvarde belopp", pl = "wartosc wartoscrynkowa kwota"
  ),
  weight = c(
    en = "weight weights allocation proportion portfolioweight weightpct weightpercent pctofnav
      percentofnav wgt",
    de = "gewicht gewichtung anteil portfolioanteil anteilinprozent",
    fr = "poids ponderation pourcentage", es = "peso ponderacion porcentaje",
    it = "percentuale ponderazione", nl = "weging percentage", pt = "percentual participacao",
    sv = "vikt andel portfoljandel", pl = "waga udzial"
  ),
  currency = c(
    en = "currency ccy curr crncy currencycode pricecurrency quotecurrency tradingcurrency
      localcurrency denomination cur",
    de = "wahrung whg wkz handelswahrung fondswahrung kurswahrung wahrungscode",
    fr = "devise dev monnaie devisecotation",
    es = "moneda divisa", it = "valuta divisadiquotazione", nl = "munt muntsoort", pt = "moeda",
    sv = "valutakod", pl = "waluta"
  ),
  rate = c(
    en = "rate exchangerate fxrate fx spot", de = "wechselkurs devisenkurs",
    fr = "taux tauxdechange",
    es = "tipodecambio cambio", it = "tasso tassodicambio", nl = "wisselkoers",
    pt = "taxadecambio",
    sv = "vaxelkurs", pl = "kurswalutowy kurssredni"
  ),
  side = c(
    en = "side buysell direction transaction type transactiontype",
    de = "geschaftsart transaktion art",
    fr = "sens operation", es = "operacion lado tipo", it = "operazione segno",
    nl = "transactie richting", pt = "operacao", sv = "transaktionstyp riktning",
    pl = "strona rodzaj"
  ),
  buy = c(
    en = "buy b bought purchase bot", de = "kauf k kaufen", fr = "achat a", es = "compra c",
    it = "acquisto", nl = "koop aankoop", pt = "comprar", sv = "kop", pl = "kupno"
  ),
  sell = c(
    en = "sell s sold sale sld", de = "verkauf v verkaufen", fr = "vente", es = "venta",
    it = "vendita", nl = "verkoop", pt = "venda", sv = "salj forsaljning", pl = "sprzedaz"
  ),
  of = c(
    en = "of security holding subject portfolio", de = "gegenstand bezug von", fr = "objet de",
    es = "objeto de", it = "oggetto di", nl = "onderwerp van", pt = "objeto", sv = "avser",
    pl = "czego"
  ),
  measure = c(
    en = "measure metric riskmeasure", de = "kennzahl risikomass mass messgrosse risikokennzahl",
    fr = "mesure indicateur", es = "medida indicador", it = "misura indicatore",
    nl = "maatstaf maat", pt = "metrica", sv = "matt riskmatt", pl = "miara wskaznik"
  ),
  warn = c(
    en = "warn warnat warning warninglevel soft softlimit",
    de = "warnung warnschwelle vorwarnung warngrenze",
    fr = "alerte seuildalerte avertissement", es = "alerta aviso",
    it = "allerta avviso preallarme",
    nl = "waarschuwing signaal", pt = "avisoprevio", sv = "varning varningsniva",
    pl = "ostrzezenie"
  ),
  limit = c(
    en = "limit limitat most atmost hard hardlimit threshold maximum cap",
    de = "grenze grenzwert obergrenze schwelle", fr = "limite plafond seuil", es = "tope umbral",
    it = "soglia", nl = "limiet grens", pt = "teto", sv = "grans gransvarde", pl = "prog granica"
  ),
  horizon = c(
    en = "horizon holdingperiod", de = "horizont haltedauer", fr = "horizonderisque",
    es = "horizonte",
    it = "orizzonte", nl = "horizondagen", pt = "horizontedias", sv = "horisont", pl = "horyzont"
  ),
  level = c(
    en = "level confidence confidencelevel", de = "niveau konfidenzniveau konfidenz",
    fr = "niveaudeconfiance confiance", es = "nivel confianza niveldeconfianza",
    it = "livello livellodiconfidenza", nl = "betrouwbaarheid", pt = "niveldeconfianca",
    sv = "niva konfidensniva",
    pl = "poziom poziomufnosci"
  ),
  group = c(
    en = "group", de = "gruppe", fr = "groupe", es = "grupo", it = "gruppo", nl = "groep",
    sv = "grupp", pl = "grupa"
  ),
  benchmark = c(
    en = "benchmark", de = "vergleichsindex referenzindex", fr = "indicedereference indice",
    es = "indicedereferencia", it = "indicediriferimento", nl = "referentieindex",
    sv = "jamforelseindex", pl = "indeksodniesienia"
  ),
  # Of a security, or of a day, but none of the above.
  besides = c(
    en = "exchange market mic country sector industry group type class assetclass source vendor
      provider note notes comment comments remark remarks status flag unit units description
      turnover change chg changepct pctchange issuer maturity trades",
    de = "borse borsenplatz handelsplatz markt land branche sektor bemerkung bemerkungen notiz
      kommentar hinweis beschreibung quelle umsatz veranderung diff assetklasse anlageklasse
        emittent",
    fr = "bourse marche place pays secteur remarque commentaire source capitaux variation
      emetteur",
    es = "bolsa mercado pais sector observaciones observacion descripcion variacion emisor
      fuente",
    it = "borsa mercato paese settore descrizione variazione emittente fonte",
    nl = "beurs land opmerking omschrijving omzet verandering bron", pt = "setor observacao
      descricao variacao emissor fonte", sv = "bors marknad bransch anmarkning beskrivning
      omsattning forandring kalla",
    pl = "gielda rynek kraj branza uwagi opis obrot zmiana emitent zrodlo"
  )
)

# Letters by their letter of the alphabet; what has two ways of being written without its accent,
# as Waehrung and Wahrung, is one word.
unaccented <- function(text) {
  text <- enc2utf8(text)
  for (letters in accented) text <- chartr(letters[1L], letters[2L], text)
  gsub("\u00e6", "ae", gsub("\u0153", "oe", gsub("\u00df", "ss", text)))
}

accented <- list(
  c("\u00e0\u00e1\u00e2\u00e3\u00e4\u00e5\u0105\u00e7\u0107\u00e8\u00e9\u00ea\u00eb\u0119",
    "aaaaaaacceeeee"),
  c("\u00ec\u00ed\u00ee\u00ef\u0142\u00f1\u0144\u00f2\u00f3\u00f4\u00f5\u00f6\u00f8\u015b",
    "iiiilnnoooooos"),
  c("\u00f9\u00fa\u00fb\u00fc\u00fd\u017c\u017a", "uuuuyzz"),
  c("\u00c0\u00c1\u00c2\u00c3\u00c4\u00c5\u0104\u00c7\u0106\u00c8\u00c9\u00ca\u00cb\u0118",
    "aaaaaaacceeeee"),
  c("\u00cc\u00cd\u00ce\u00cf\u0141\u00d1\u0143\u00d2\u00d3\u00d4\u00d5\u00d6\u00d8\u015a",
    "iiiilnnoooooos"),
  c("\u00d9\u00da\u00db\u00dc\u00dd\u017b\u0179", "uuuuyzz")
)

# German words also with ae, oe, ue for the letters that have dots: of those in the table.
dotted_words <- c(
  borsentag = "boersentag", kurzel = "kuerzel", eroffnung = "eroeffnung",
  eroffnungskurs = "eroeffnungskurs", hochst = "hoechst", hochstkurs = "hoechstkurs",
  tageshochst = "tageshoechst", tageshochstkurs = "tageshoechstkurs",
  rucknahmepreis = "ruecknahmepreis", gehandeltestucke = "gehandeltestuecke", stuck = "stueck",
  stuckzahl = "stueckzahl", wahrung = "waehrung", handelswahrung = "handelswaehrung",
  fondswahrung = "fondswaehrung", kurswahrung = "kurswaehrung", wahrungscode = "waehrungscode",
  geschaftsart = "geschaeftsart", messgrosse = "messgroesse", borse = "boerse",
  borsenplatz = "boersenplatz", veranderung = "veraenderung"
)

# The words of a role, those of English first.
heading_names <- lapply(heading_words, function(words) {
  plain <- unlist(strsplit(trimws(words), "[ \n]+"), use.names = FALSE)
  unique(c(plain, unname(dotted_words[plain[plain %in% names(dotted_words)]])))
})

# By which a line is known to be a header: by one of the first, else by two of all. A line above
# a table may well say as of which day it is.
header_words <- c(
  "date", "dates", "day", "datetime", "timestamp", "security", "symbol", "ticker", "instrument",
  "isin", "close", "price", "open", "high", "low", "adjusted", "adjclose", "nav", "last",
  "volume", "weight", "shares", "quantity", "split", "dividend", "datum", "fecha"
)
all_header_words <- unlist(heading_names[c(
  "date", "security", "name", "open", "high", "low", "close", "adjusted", "volume", "shares",
  "weight"
)], use.names = FALSE)
date_names <- heading_names$date
english_date_names <- strsplit(trimws(heading_words$date[["en"]]), "[ \n]+")[[1L]]
weak_security_names <- heading_names$name
security_names <- c(heading_names$security, weak_security_names)
currency_names <- heading_names$currency
other_names <- unique(c(currency_names, heading_names$besides))
price_fields <- c("open", "high", "low", "close", "adjusted", "volume")

# What was paid is not among the words for a price that a cost could be taken for.
trade_price_names <- c(
  "price", "tradeprice", "executionprice", "kurs", "preis", "ausfuhrungskurs", "ausfuehrungskurs",
  "cours", "prix", "precio", "prezzo", "koers", "prijs", "preco", "pris", "cena"
)
holding_columns <- heading_names[c("shares", "value", "weight")]
limit_columns <- c(
  list(of = unique(c(heading_names$of, security_names))),
  heading_names[c("measure", "warn", "limit", "horizon", "level")],
  list(method = "method", window = c("window", "lookback"), period = c("period", "every"))
)

# What people write for a measure in a file of limits.
measure_words <- list(
  var = c("var", "valueatrisk", "maxloss", "maximumloss"),
  es = c("es", "cvar", "expectedshortfall", "etl", "conditionalvar", "tvar"),
  volatility = c(
    "vol", "stdev", "standarddeviation", "volatilitat", "volatilite", "volatilidad", "volatilita",
    "volatiliteit", "volatilidade", "volatilitet", "zmiennosc"
  ),
  drawdown = plain_name(c("max drawdown", "maximum drawdown", "mdd")),
  loss = c("verlust", "perte", "perdida", "perdita", "verlies", "perda", "forlust", "strata"),
  tracking_error = c("te", "activerisk", "trackingfehler"),
  correlation = c("corr", "korrelation", "correlacion", "correlazione", "correlatie", "korelacja"),
  weight = heading_names$weight
)

# The book in a file of limits, where no security is called so.
whole_book_words <- c(
  "book", "portfolio", "total", "gesamt", "depot", "portefeuille", "cartera", "portafoglio",
  "carteira", "portfolj", "portfel"
)

measure_of_words <- function(text) {
  plain <- plain_name(text)
  for (measure in names(measure_words)) {
    text[!is.na(text) & plain %in% measure_words[[measure]]] <- measure
  }
  text
}

# The field of each name: open, high, low, close, adjusted, volume, or NA. The shortest words are
# one only beside another.
field_of <- function(names) {
  plain <- plain_name(names)
  field <- rep(NA_character_, length(plain))
  for (one in price_fields) field[plain %in% heading_names[[one]]] <- one
  if (any(field %in% price_fields)) {
    field[plain %in% heading_names$high_short] <- "high"
    field[plain %in% heading_names$low_short] <- "low"
  }
  field
}
