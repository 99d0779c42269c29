"""What columns are called: names as people write them, taken apart into words of known sense.

A name comes down to a set of *senses*: ``Kundennummer``, ``cust_no`` and ``N° client`` are all *customer, number*.
Words are English, German, French, Spanish, Italian, Dutch, Portuguese and Polish, in small letters without accents.
"""

from __future__ import annotations

import re
from functools import lru_cache

from goldthread.intake.dates import plain_text

_WORDS = {
    "order": (
        "ordine ordini bestelling bestellingen ordernummer zamowienie zamowienia zamowien commanda order orders "
        "bestellung bestellungen bestell auftrag commande commandes cde pedido pedidos encomenda orden"
    ),
    "receipt": (
        "ricevuta scontrino kassabon kwitantie paragon paragony acquisto acquisti aankoop zakup zakupy "
        "receipt receipts beleg bon kassenbon ticket docket quittung recibo talao transaction transaktion "
        "transaccion txn basket vorgang vente venta venda verkauf sale purchase kauf achat compra recu"
    ),
    "invoice": (
        "fattura fatture factuur facturen faktura faktury rachunek invoice invoices inv bill rechnung facture "
        "factura fatura"
    ),
    "number": (
        "numer numeri numeros codice codigo code codes kod cod number numbers no nr num nummer numero nro id ident "
        "key ref reference referenz referencia kennung"
    ),
    "customer": (
        "clienti klant klanten afnemer debiteur klient klienta klienci klientow kontrahent kontrahenta nabywca "
        "nabywcy odbiorca odbiorcy acquirente besteller auftraggeber lid customer customers cust client "
        "clients kunde kunden kd knd debitor debitoren cliente clientes clienta account acct konto compte cuenta "
        "conta buyer acheteur comprador kaufer member mitglied membre socio kundenkarte loyalty household shopper "
        "guest party patron user consumer"
    ),
    "email": "epost posta email emails mail correo courriel mailadresse emailadresse",
    "name": (
        "naam nazwa nazwisko imie cognome ragione denominazione vorname nachname nome sociale surname firstname "
        "lastname klantnaam forename name names nom nombre fullname firma firm company societe empresa"
    ),
    "date": (
        "dzien giorno dag orderdatum besteldatum date dates datum fecha data day tag jour dia dt timestamp "
        "zeitstempel zeitpunkt datetime"
    ),
    "made": (
        "besteld geplaatst verkocht ordinato venduto acquistato zlozono zlozenia sprzedano utworzono utworzenia "
        "wystawienia aangemaakt creato emissione emission ausgestellt getatigt ordered placed sold bought created "
        "booked purchased issued bestellt verkauft gekauft erstellt passee vendu vendido comprado emitida emitido"
    ),
    "payment": (
        "betaling betaald pagamenti zaplacono platnosc platnosci wplata paid payment payments bezahlt zahlung zahl "
        "paye paiement reglement pago pagado pagamento pagos received"
    ),
    "amount": (
        "importi importo "
        "bedrag waarde omzet valore fatturato ricavo kwota wartosc wartosci obrot przychod totaalbedrag "
        "amount amt betrag montant importe valor value sum summe suma umsatz revenue turnover wert ingresos receita "
        "faturamento erlos ca affaires"
    ),
    "sales": "sprzedaz sprzedazy vendite verkopen sales ventes ventas vendas verkaufe",
    "total": (
        "totaal razem lacznie totali complessivo ogolem total totals gesamt totale grand gesamtbetrag "
        "gesamtsumme endbetrag"
    ),
    "gross": "lordo lorda bruta gross brutto ttc bruto brut",
    "net": "netta neta net netto ht neto liquido hors",
    "price": "prezzo prijs cena price preis prix precio preco",
    "unit": (
        "eenheid stuk stuksprijs jednostkowa jednostka unita unit einzel einzelpreis stuckpreis unitaire unitario "
        "each je"
    ),
    "tax": (
        "btw podatek imposta tax taxes vat mwst ust tva iva steuer gst umsatzsteuer taxe impuesto imposto "
        "mehrwertsteuer"
    ),
    "discount": (
        "sconto korting rabat discount discounts rabatt remise descuento desconto nachlass skonto coupon voucher "
        "gutschein promo promotion rebate cupon cupom"
    ),
    "shipping": (
        "spedizione verzending bezorging wysylka dostawa consegna ship shipping shipped versand versandkosten porto "
        "freight delivery livraison envio frete port postage lieferung liefer fulfilment fulfillment entrega"
    ),
    "cost": (
        "costo costi kosztu koszt koszty kost cost costs kosten cout couts coste custo margin marge margen margem "
        "profit gewinn fee fees gebuhr frais"
    ),
    "quantity": (
        "quantita aantal hoeveelheid ilosc sztuk stuks stuck pezzi liczba quantity qty menge anzahl quantite qte "
        "cantidad quantidade pieces units count qtd pcs cant items"
    ),
    "product": (
        "articoli prodotto prodotti artikelen producten towar towary produkty artykul artykuly omschrijving "
        "beschreibung descrizione opis nazwatowaru article articles product products produkt artikel produit "
        "articulo producto produto goods ware sku stockcode description descripcion descricao bezeichnung "
        "designation item"
    ),
    "category": (
        "categorie kategoria kategorii reparto category kategorie categoria warengruppe department rayon familia "
        "famille produktgruppe"
    ),
    "line": ("riga regel regels wiersz pozycja pozycji line lines pos position zeile ligne linea linha posten"),
    "status": "stato status statut estado zustand",
    "currency": "valuta divisa waluta munt munteenheid currency wahrung devise moneda moeda",
    "rep": (
        "venditore verkoper sprzedawca handlowiec commerciale vertegenwoordiger rep seller salesperson clerk agent "
        "vertreter vertreterin representant verkaufer vendeur vendeuse vendedor vendedora cashier kassierer "
        "bediener"
    ),
    "channel": "canale kanaal channel kanal canal",
    "town": (
        "citta comune plaats woonplaats miasto miejscowosc town city ort stadt ville ciudad cidade localidad "
        "localidade wohnort"
    ),
    "about": (
        "winkel negozio sklep caisse kasse kassa cassa caja registo till register branch filial land landen paese "
        "kraj provincia telefoon notities uwagi opmerkingen kolor segment type typ tipo group gruppe groupe grupo "
        "class classe priority mode method methode metodo source notes note comment comments country pays pais "
        "region zip postcode postal plz phone tel telefon telephone telefono telefone address adresse direccion age "
        "gender birth birthday since first last store shop filiale magasin tienda loja brand marke marque marca due "
        "weight terms level tier score points rating language browser campaign time uhrzeit heure hora balance "
        "limit credit state year month week quarter jahr monat woche"
    ),
}
_SENSE = {word: sense for sense, words in _WORDS.items() for word in words.split()}
_FILLER_WORDS = (
    "of the de du des la le les el los do da dos der die das den for in on at am um by und and et y e eur euro usd "
    "gbp chf brl d l our your my chiffre pln zl in di del della van het een z w na do i per voor "
    "cent cents ct cts pence penny minor centimes centime centimos centavos centesimi grosze groszy rappen pfennig ore"
)
_FILLERS = frozenset(_FILLER_WORDS.split())
_TAXES = r"\.? ?(?:of )?(?:vat|btw|mwst|ust|iva|tva|tax|taxes|gst)\b\.?"
_WITH_TAX = re.compile(rf"\b(?:incl|inkl|including|inclusive|inclusief|incluido|inclus|con|met|mit|with){_TAXES}")
_WITHOUT_TAX = re.compile(
    rf"\b(?:excl|exkl|excluding|exclusive|exclusief|ex|ohne|without|before|sin|sem|hors|senza|zonder|bez){_TAXES}"
)
_HUNDREDTHS = frozenset(
    [
        "cent",
        "cents",
        "ct",
        "cts",
        "pence",
        "penny",
        "minor",
        "centimes",
        "centime",
        "centimos",
        "centavos",
        "centesimi",
        "grosze",
        "groszy",
        "rappen",
        "pfennig",
        "ore",
        "subunits",
    ]
)
_LINKS = ("", "s", "n", "en", "es", "e")
_SHORTEST_PART = 4
_SHORT_ENDS = frozenset(["no", "nr", "id", "num", "ref", "key", "name", "date"])
_SHORT_STARTS = frozenset(["kd", "inv", "cust"])


@lru_cache(4_096)
def senses_of(name: str) -> tuple[frozenset[str], int]:
    """What the words of a column's name stand for, and how many of its words are not known."""
    senses: set[str] = set()
    unknown = 0
    for word in _words_of(name):
        parts = _taken_apart(word)
        senses.update(parts)
        unknown += not parts and word not in _FILLERS
    return frozenset(senses), unknown


def speaks_of_cents(name: str) -> bool:
    """Whether a column says that it counts hundredths of its currency."""
    return not _HUNDREDTHS.isdisjoint(_words_of(name))


def _words_of(name: str) -> list[str]:
    plain = re.sub(r"#|\b[nN][°º]\.?", " number ", name)
    plain = re.sub(r"([a-zà-ÿ0-9])([A-Z])", r"\1 \2", plain)
    plain = _WITHOUT_TAX.sub(" net ", _WITH_TAX.sub(" gross ", plain_text(plain)))
    return re.findall(r"[a-z]+|[0-9]+", re.sub(r"\be[^a-z0-9]?mail", "email", plain))


def _taken_apart(word: str) -> tuple[str, ...]:
    """The senses of a word, also of one that is put together, as in German; none for a word that is not known."""
    if word in _SENSE:
        return (_SENSE[word],)
    for at in range(len(word) - 2, 1, -1):
        start, rest = word[:at], word[at:]
        if start not in _SENSE or (len(start) < _SHORTEST_PART and start not in _SHORT_STARTS):
            continue
        for link in _LINKS:
            end = rest.removeprefix(link) if rest.startswith(link) else ""
            if len(end) < _SHORTEST_PART and end not in _SHORT_ENDS:
                continue
            senses = _taken_apart(end)
            if senses:
                return (_SENSE[start], *senses)
    return ()
