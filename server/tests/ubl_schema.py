"""A schema of our own for the UBL 2.1 documents that are written here.

No package of the registries carries the schemas of OASIS, so this one is made of the element lists of
UBL-Order-2.1.xsd, UBL-Invoice-2.1.xsd, UBL-DespatchAdvice-2.1.xsd and UBL-CommonAggregateComponents-2.1.xsd
as they are published (from memory): each list in its sequence, up to what is written here, with how often
an element may stand there. What an element holds is told by the end of its name, as in UBL.
"""

from functools import cache

import xmlschema
from poietic.buying.ubl.names import CAC, CBC, ROOT

#: ? at most once, * any number, + at least once, else exactly once
DOCUMENTS = {
    "Order": "UBLVersionID? CustomizationID? ProfileID? ProfileExecutionID? ID SalesOrderID? CopyIndicator? UUID? IssueDate IssueTime? OrderTypeCode? Note* RequestedInvoiceCurrencyCode? DocumentCurrencyCode? PricingCurrencyCode? TaxCurrencyCode? CustomerReference? AccountingCostCode? AccountingCost? LineCountNumeric? @BuyerCustomerParty:CustomerParty @SellerSupplierParty:SupplierParty @Delivery* @AnticipatedMonetaryTotal:MonetaryTotal? @OrderLine+",
    "Invoice": "UBLVersionID? CustomizationID? ProfileID? ProfileExecutionID? ID CopyIndicator? UUID? IssueDate IssueTime? DueDate? InvoiceTypeCode? Note* TaxPointDate? DocumentCurrencyCode? TaxCurrencyCode? PricingCurrencyCode? PaymentCurrencyCode? PaymentAlternativeCurrencyCode? AccountingCostCode? AccountingCost? LineCountNumeric? BuyerReference? @OrderReference? @AccountingSupplierParty:SupplierParty @AccountingCustomerParty:CustomerParty @LegalMonetaryTotal:MonetaryTotal @InvoiceLine+",
    "DespatchAdvice": "UBLVersionID? CustomizationID? ProfileID? ProfileExecutionID? ID CopyIndicator? UUID? IssueDate IssueTime? DocumentStatusCode? DespatchAdviceTypeCode? Note* LineCountNumeric? @OrderReference* @DespatchSupplierParty:SupplierParty @DeliveryCustomerParty:CustomerParty @Shipment? @DespatchLine+",
}  # fmt: skip
AGGREGATES = {
    "CustomerParty": "CustomerAssignedAccountID? SupplierAssignedAccountID? AdditionalAccountID* @Party?",
    "SupplierParty": "CustomerAssignedAccountID? AdditionalAccountID* DataSendingCapability? @Party?",
    "Party": "MarkCareIndicator? MarkAttentionIndicator? WebsiteURI? LogoReferenceID? EndpointID? IndustryClassificationCode? @PartyIdentification* @PartyName*",
    "PartyIdentification": "ID",
    "PartyName": "Name",
    "MonetaryTotal": "LineExtensionAmount? TaxExclusiveAmount? TaxInclusiveAmount? AllowanceTotalAmount? ChargeTotalAmount? PrepaidAmount? PayableRoundingAmount? PayableAmount PayableAlternativeAmount?",
    "OrderLine": "SubstitutionStatusCode? Note* @LineItem",
    "LineItem": "ID SalesOrderID? UUID? Note* LineStatusCode? Quantity? LineExtensionAmount? TotalTaxAmount? MinimumQuantity? MaximumQuantity? MinimumBackorderQuantity? MaximumBackorderQuantity? InspectionMethodCode? PartialDeliveryIndicator? BackOrderAllowedIndicator? AccountingCostCode? AccountingCost? WarrantyInformation* @Delivery* @Price? @Item",
    "Delivery": "ID? Quantity? MinimumQuantity? MaximumQuantity? ActualDeliveryDate? ActualDeliveryTime? LatestDeliveryDate? LatestDeliveryTime? ReleaseID? TrackingID? @RequestedDeliveryPeriod:Period? @PromisedDeliveryPeriod:Period? @EstimatedDeliveryPeriod:Period?",
    "Period": "StartDate? StartTime? EndDate? EndTime? DurationMeasure? DescriptionCode* Description*",
    "Price": "PriceAmount BaseQuantity?",
    "Item": "Description* PackQuantity? PackSizeNumeric? CatalogueIndicator? Name? HazardousRiskIndicator? AdditionalInformation* Keyword* BrandName* ModelName* @BuyersItemIdentification:ItemIdentification? @SellersItemIdentification:ItemIdentification? @ItemInstance*",
    "ItemIdentification": "ID",
    "ItemInstance": "ProductTraceID? ManufactureDate? ManufactureTime? BestBeforeDate? RegistrationID? SerialID? @LotIdentification?",
    "LotIdentification": "LotNumberID? ExpiryDate?",
    "OrderReference": "ID SalesOrderID? CopyIndicator? UUID? IssueDate?",
    "OrderLineReference": "LineID SalesOrderLineID? UUID? LineStatusCode? @OrderReference?",
    "InvoiceLine": "ID UUID? Note* InvoicedQuantity? LineExtensionAmount TaxPointDate? AccountingCostCode? AccountingCost? PaymentPurposeCode? FreeOfChargeIndicator? @OrderLineReference* @Item @Price?",
    "Shipment": "ID ShippingPriorityLevelCode? HandlingCode? HandlingInstructions* Information* GrossWeightMeasure? NetWeightMeasure? @Delivery?",
    "DespatchLine": "ID UUID? Note* LineStatusCode? DeliveredQuantity? BackorderQuantity? BackorderReason* OutstandingQuantity? OutstandingReason* OversupplyQuantity? @OrderLineReference+ @Item",
}  # fmt: skip
OFTEN = {
    "?": 'minOccurs="0"',
    "*": 'minOccurs="0" maxOccurs="unbounded"',
    "+": 'maxOccurs="unbounded"',
}
XS = 'xmlns:xs="http://www.w3.org/2001/XMLSchema" elementFormDefault="qualified"'
BASIC = """
<xs:complexType name="amount"><xs:simpleContent><xs:extension base="xs:decimal">
  <xs:attribute name="currencyID" type="xs:string" use="required"/></xs:extension></xs:simpleContent></xs:complexType>
<xs:complexType name="quantity"><xs:simpleContent><xs:extension base="xs:decimal">
  <xs:attribute name="unitCode" type="xs:string"/></xs:extension></xs:simpleContent></xs:complexType>
<xs:simpleType name="text"><xs:restriction base="xs:normalizedString"><xs:minLength value="1"/></xs:restriction></xs:simpleType>
"""
#: by the end of an element's name
HELD = {
    "Amount": "b:amount",
    "Quantity": "b:quantity",
    "Measure": "b:quantity",
    "Date": "xs:date",
    "Time": "xs:time",
    "Indicator": "xs:boolean",
    "Numeric": "xs:decimal",
}


def fault(kind: str, data: bytes) -> str:
    """Return what is wrong with a document of a kind, "" if nothing is."""
    found = next(_schema(kind).iter_errors(data.decode()), None)
    return "" if found is None else f"{found.path}: {found.reason}"


@cache
def _schema(kind: str) -> xmlschema.XMLSchema:
    basic = sorted({_name(e) for listed in (*DOCUMENTS.values(), *AGGREGATES.values()) for e in listed.split() if e[0] != "@"})  # fmt: skip
    held = "".join(f'<xs:element name="{e}" type="{_held(e)}"/>' for e in basic)
    common = f'<xs:schema {XS} targetNamespace="{CBC}" xmlns:b="{CBC}">{BASIC}{held}</xs:schema>'
    types = "".join(f'<xs:complexType name="{n}">{_sequence(of)}</xs:complexType>' for n, of in AGGREGATES.items())  # fmt: skip
    roles = {_role(e) for listed in (*DOCUMENTS.values(), *AGGREGATES.values()) for e in listed.split() if e[0] == "@"}  # fmt: skip
    named = "".join(f'<xs:element name="{n}" type="a:{of}"/>' for n, of in sorted(roles))
    space = f"{ROOT}{kind}-2"
    spaces = f'xmlns:b="{CBC}" xmlns:a="{CAC}"'
    aggregates = f'<xs:schema {XS} targetNamespace="{CAC}" {spaces}><xs:import namespace="{CBC}"/>{types}{named}</xs:schema>'
    root = f'<xs:schema {XS} targetNamespace="{space}" {spaces}><xs:import namespace="{CBC}"/><xs:import namespace="{CAC}"/><xs:element name="{kind}"><xs:complexType>{_sequence(DOCUMENTS[kind])}</xs:complexType></xs:element></xs:schema>'
    return xmlschema.XMLSchema([root, aggregates, common])


def _sequence(listed: str) -> str:
    elements = []
    for e in listed.split():
        often = OFTEN.get(e[-1], "")
        name = f"a:{_role(e)[0]}" if e[0] == "@" else f"b:{_name(e)}"
        elements.append(f'<xs:element ref="{name}" {often}/>')
    return f"<xs:sequence>{''.join(elements)}</xs:sequence>"


def _name(e: str) -> str:
    return e.rstrip("?*+")


def _role(e: str) -> tuple[str, str]:
    """Return what an aggregate is called in a place, and what it is."""
    name, _, of = _name(e[1:]).partition(":")
    return name, of or name


def _held(e: str) -> str:
    return next((of for end, of in HELD.items() if e.endswith(end)), "b:text")
