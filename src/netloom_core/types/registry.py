"""All types of values by the names that profiles use. A new one is its file and a name here."""

from __future__ import annotations

from typing import Annotated

from pydantic import BeforeValidator, Field

from netloom_core.types.boolean import Boolean
from netloom_core.types.choice import Choice
from netloom_core.types.curve import Curve
from netloom_core.types.decimal import DecimalNumber
from netloom_core.types.integer import Integer
from netloom_core.types.network import Ipv4, Mac, Netmask
from netloom_core.types.octets import Octets
from netloom_core.types.secret import Secret
from netloom_core.types.several import Several, named
from netloom_core.types.text import Text
from netloom_core.types.time import TimeOfDay

AnyType = Annotated[
    Annotated[
        Text
        | Integer
        | DecimalNumber
        | Boolean
        | Choice
        | Ipv4
        | Netmask
        | Mac
        | TimeOfDay
        | Secret
        | Curve
        | Octets
        | Several,
        Field(discriminator="name"),
    ],
    BeforeValidator(named),
]
