"""A stand-in for a profile that chance made, from a reading of its own: nothing of the core reads the file here."""

from __future__ import annotations

import re
from typing import Any

Data = dict[str, Any]
KEPT = {"when-stored": "stored", "always": "always", "never": "never"}


def description_of(profile: Data) -> Data:
    way = profile["channels"]["way"]
    slots = {"/dmx/start": {"whole": [1, 512]}, "/dmx/footprint": {"whole": [0, 512], "start": 1}}
    return {
        "model": profile["id"], "boot": 0.05, "nameless": False,
        "memory": {**{_path(profile, item): _cell(item) for item in profile["items"]},
                   **(slots if way["protocol"] == "rdm" else {})},
        "faces": [globals()[f"_{way['protocol']}"](profile, way)],
    }  # fmt: skip


def _axis(profile: Data) -> tuple[str, int]:
    [(name, axis)] = profile["axes"].items()
    return name, axis["count"]


def _path(profile: Data, item: Data) -> str:
    name, count = _axis(profile)
    return str(item["path"]).replace(f"{{{name}}}", f"{{1..{count}}}")


def _cell(item: Data) -> Data:
    kind, cell = item["type"], {"kept": KEPT[item["kept"]], "later": item.get("takes") == "on-restart"}
    match kind["is"]:
        case "integer":
            cell |= {"whole": [kind["minimum"], kind["maximum"]]}
        case "decimal":
            cell |= {"number": [kind["minimum"], kind["maximum"]], "step": kind["step"]}
        case "boolean":
            cell |= {"flag": True}
        case "choice":
            cell |= {"words": list(kind["options"])}
        case "text":
            cell |= {"text": kind["max_length"]}
        case other:
            first = {"ipv4": "192.0.2.1", "time": "06:30:00", "mac": "0a:00:00:00:00:01"}[other]
            cell |= {"text": 20, "start": first}
    return cell


def _said(item: Data) -> Data:
    """Words as the value is written in JSON, the number of times that it is larger on the wire, and how it looks."""
    bind = item["bind"]["way"]
    words = {str(value): word for value, word in bind.get("words", {}).items()}
    return {"words": words, "times": bind.get("factor", 1), "form": bind.get("form", "")}


def _dialogue(profile: Data, way: Data) -> Data:
    name, _ = _axis(profile)
    commands = [
        {"say": "ID", "reply": "ID {model} {serial}"},
        {"say": "KEEP", "does": "keep", "reply": "OK"},
        {"say": "BOOT", "does": "restart", "reply": "OK"},
    ]
    spoken = {}
    for item in profile["items"]:
        bind = item["bind"]["way"]
        where = str(item["path"]).replace(f"{{{name}}}", "{1}")
        along = where != item["path"]

        def pattern(text: str, along: bool = along) -> str:
            return re.escape(text).replace(re.escape(f"{{{name}}}"), r"(\d+)")

        head = bind["set"].replace(f"{{{name}}}", "{1}").split(" :=")[0]
        commands.append({"say": pattern(bind["ask"]), "reply": f"{head} = {{{where}}}"})
        if "startup_ask" in bind:
            commands.append({"say": pattern(bind["startup_ask"]), "reply": f"{head} = {{={where}}}"})
        taken = pattern(bind["set"]).replace(re.escape("{value}"), "(.*)")
        commands.append({"say": taken, "set": {where: "{2}" if along else "{1}"}, "reply": "OK"})
        spoken[_path(profile, item)] = _said(item)
    wrong = {"unknown": "NO unknown", "range": "NO range", "value": "NO value", "refused": "NO"}
    return {"face": "tcp", "port": way["port"], "takes": "\n", "end": "\n", "wrong": wrong, "commands": commands,
            "spoken": spoken}  # fmt: skip


def _http(profile: Data, way: Data) -> Data:
    name, count = _axis(profile)
    now, kept, sets, words, tenths = {}, {}, {}, {}, []
    for item in profile["items"]:
        field = item["bind"]["way"]["pointer"].removeprefix("/")
        many, place = field.replace(f"{{{name}}}", f"{{1..{count}}}"), _path(profile, item)
        now[many] = place
        if item["kept"] != "never":
            kept[many] = f"={place}"
        sets[field.replace(f"{{{name}}}", r"(\d+)")] = str(item["path"]).replace(f"{{{name}}}", "{1}")
        said = _said(item)
        if said["words"]:
            words[place] = said["words"]
        if said["times"] == 10:
            tenths.append(place)
    pages = [
        {"path": "/id", "kind": "lines", "tells": {"SN": "serial", "MD": "model"}},
        {"path": "/now", "kind": "lines", "tells": now},
        {"method": "POST", "path": "/now", "kind": "form", "sets": sets},
        {"method": "POST", "path": "/keep", "kind": "form", "does": "keep"},
        {"method": "POST", "path": "/boot", "kind": "form", "does": "restart"},
    ]
    if "startup" in way["read"]:
        pages.append({"path": way["read"]["startup"]["path"], "kind": "lines", "tells": kept})
    return {"face": "web", "port": way["port"], "words": words, "tenths": tenths, "pages": pages}


def _modbus(profile: Data, way: Data) -> Data:
    holding: Data = {"serial": {"at": 9000, "kind": "text", "length": 6, "constant": "serial"}}
    kept: Data = {}
    for item in profile["items"]:
        bind, said = item["bind"]["way"], _said(item)
        words = {_capital(value, item): number for value, number in said["words"].items()}
        place = {"at": bind["register"], "every": bind["step"], "kind": bind["kind"], "times": said["times"],
                 "words": words, "length": bind.get("length", 1), "low_first": bind.get("low_first")}  # fmt: skip
        place["low_first"] = bool(place["low_first"])
        holding[_path(profile, item)] = place
        if "startup" in bind:
            kept[_path(profile, item)] = {**place, "at": bind["startup"]}
    return {"face": "modbus-tcp", "unit": 1, "holding": holding, "kept": kept,
            "commands": {9100: {1: "keep", 2: "restart"}}}  # fmt: skip


def _capital(value: str, item: Data) -> str:
    """A yes or no is kept in mind as such."""
    return value.title() if item["type"]["is"] == "boolean" else value


def _snmp(profile: Data, way: Data) -> Data:
    name, _ = _axis(profile)
    base = "1.3.6.1.4.1.32473"
    objects: Data = {
        word: {"oid": f"{base}.9.{n}.0", "constant": word, "syntax": "text"}
        for n, word in enumerate(("serial", "maker", "model"), 1)
    }
    for item in profile["items"]:
        bind, said = item["bind"]["way"], _said(item)
        words = {_capital(value, item): number for value, number in said["words"].items()}
        objects[_path(profile, item)] = {
            "oid": bind["oid"].replace(f"{{{name}}}", "{1}"), "syntax": bind["syntax"], "words": words,
            "times": said["times"], "writable": True,
        }  # fmt: skip
    return {"face": "snmp", "write": way["community"], "most": way["most"], "objects": objects,
            "commands": {f"{base}.8.1.0": {1: "keep", 2: "restart"}}}  # fmt: skip


def _framed(profile: Data, way: Data) -> Data:
    name, _ = _axis(profile)
    messages = [
        {"say": "01", "reply": "81 text8:serial text8:model"},
        {"say": "20", "does": "keep", "reply": "a0"},
        {"say": "21", "does": "restart", "reply": "a1"},
    ]
    times, words = {}, {}
    for item in profile["items"]:
        bind, said = item["bind"]["way"], _said(item)
        code, form = bind["ask"].split()[1], bind["answer"].split()[1].split(":")[0]
        along = f"{{{name}" in bind["ask"]
        where = str(item["path"]).replace(f"{{{name}}}", "{1+1}")
        place = "(..)" if along else ""
        size = int(form[4:]) if form.startswith("text") else {"u8": 1, "u16": 2, "s16": 2}[form]
        group = "{2}" if along else "{1}"
        plain = "text" if form.startswith("text") else form
        messages.append({"say": f"10{code}{place}", "reply": f"90 {form}:{where}"})
        if "startup_ask" in bind:
            messages.append({"say": f"12{code}{place}", "reply": f"90 {form}:={where}"})
        value = f"({'..' * size})"
        messages.append({"say": f"11{code}{place}{value}", "set": {where: f"{plain}:{group}"}, "reply": "91"})
        pattern = str(item["path"]).replace(f"{{{name}}}", r"\d+")
        times[pattern] = said["times"]
        if said["words"]:
            words[pattern] = said["words"]
    return {"face": "binary-tcp", "port": way["port"], "start": "a5", "length": "body", "check": "sum",
            "refused": {"unknown": "ee01", "range": "ee02", "value": "ee02", "refused": "ee03"},
            "messages": messages, "times": times, "words": words}  # fmt: skip


def _rdm(profile: Data, way: Data) -> Data:
    parameters: Data = {
        0x0080: {"text": "{model}"}, 0x0081: {"text": "{maker}"}, 0x00C0: {"text": "{firmware}"},
        0x9001: {"does": "keep", "writable": True}, 0x9002: {"does": "restart", "writable": True},
    }  # fmt: skip
    for item in profile["items"]:
        bind, said = item["bind"]["way"], _said(item)
        size = 0 if bind.get("kind") == "text" else bind.get("size", 1)
        parameters[bind["parameter"]] = {
            "path": item["path"], "size": size, "signed": bind.get("kind") == "signed", "times": said["times"],
            "words": said["words"], "writable": True,
        }  # fmt: skip
    return {"face": "rdm", "parameters": parameters}
