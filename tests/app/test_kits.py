"""Kits, lots, instruments, and the kit check."""

from datetime import timedelta

from django.urls import reverse
from django.utils import timezone

from kessa.record.determinations.models import Determination
from kessa.record.instruments.models import Instrument, InstrumentCheck
from kessa.record.kits.models import Kit, Lot, StockChange
from kessa.record.kits.services import add_lot, weigh_lot
from kessa.record.quality.services import withdraw_instrument_check
from kessa.record.results.models import Result
from kessa.record.rounds.models import KitCheck
from kessa.record.rounds.services import plan_stop
from kessa.record.testing.repeats import go_on
from kessa.record.visits.models import Observation
from tests.app.pages import PageTest
from tests.world import Taps, begin, member, note, planned, send, standing, stocked_kit, team_of, visited


class Lots(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)
        self.today = timezone.localdate()

    def lot(self, key, kit=None):
        return Lot.objects.for_team(self.membership.team).get(supply_key=key)

    def run_twice(self, kit, count=8, **kwargs):
        begun = begin(self.place, self.membership, kit=kit and kit.pk, **kwargs)
        taps = Taps().answer("ph", 7.2).run("blank-1", 1).run("sample-1", count).run("sample-2", count)
        send(self.membership, begun, taps.close())
        return standing(begun)

    def test_runs_book_what_they_used_from_the_lots_in_use(self):
        kit = stocked_kit(self.membership)
        result = self.run_twice(kit)
        left = {lot.supply_key: lot.units_left for lot in Lot.objects.for_team(self.membership.team)}
        self.assertEqual(left["chromate-packet"], 47)
        self.assertAlmostEqual(left["silver-nitrate"], 20 - 17 * 0.05)
        self.assertEqual((left["ph-strip"], left["deionised-water"]), (9, 5000 - 240))
        self.assertEqual(result.flags, ["lot-unproven"])
        self.assertIn("Silver nitrate, 0.0564 N, dropper bottle, lot L-si", result.determination.lot)
        further = reverse("results:further_run", args=[result.determination_id])
        self.client.post(further, {"why": "to be sure"})
        send(self.membership, result.determination, Taps(seq=100).run("sample-3", 8).close())
        self.assertEqual(self.lot("chromate-packet").units_left, 46)
        page = self.client.get(reverse("kits:lot", args=[self.lot("chromate-packet").pk]))
        self.assertContains(page, 'used <span class="num">4</span> packet')

    def test_a_bottle_that_runs_out_in_the_middle_is_said_and_the_next_is_named(self):
        kit = stocked_kit(self.membership, silver_nitrate=0.5)
        old = self.lot("silver-nitrate")
        new = Lot(team=kit.team, kit=kit, supply_key=old.supply_key, number="NEW", expires_on=self.today)
        add_lot(self.membership, new, 20)
        other = Lot(team=kit.team, kit=kit, supply_key="ph-strip", number="PH-2")
        begun = begin(self.place, self.membership, kit=kit.pk)
        page = self.client.get(reverse("bench:determination", args=[begun.pk]))
        [bottle] = page.context["payload"]["bottles"]
        self.assertEqual([each["pk"] for each in bottle["lots"]], [old.pk, new.pk])
        self.assertEqual((bottle["takes"]["unit"], bottle["lots"][0]["left"]), (0.05, 0.5))
        taps = Taps().answer("ph", 7.2).run("blank-1", 1).run("sample-1", 8)
        for _ in range(3):
            taps.add("sample-2", "drop_added")
        changed = taps.add("", "bottle_changed", lot=new.pk)
        for each in (self.lot("chromate-packet").pk + 1000, "x", other.pk):
            self.assertEqual(len(send(self.membership, begun, [changed | {"data": {"lot": each}}]).refused), 1)
        taps.run("sample-2", 5)
        self.assertEqual(send(self.membership, begun, taps.close()).refused, [])
        left = {lot.number: lot.units_left for lot in kit.lots.filter(supply_key="silver-nitrate")}
        self.assertEqual({key: round(units, 6) for key, units in left.items()}, {"L-si": 0, "NEW": 20 - 5 * 0.05})
        result = standing(begun)
        # Two drops more than the book had in the old one.
        self.assertIn("lot-used-up", result.flags)
        self.assertIn("lot NEW", result.determination.lot)
        new.refresh_from_db()
        self.assertEqual((new.in_use, new.opened_on), (True, self.today))
        # A weighed bottle has other drops.
        self.assertEqual(weigh_lot(self.membership, new, 1.0).grams_of_20, 1.0)
        another = begin(self.place, self.membership, kit=kit.pk)
        given = Taps().add("", "bottle_changed", lot=old.pk)
        self.assertIn("close this test", send(self.membership, another, [given]).refused[0][1])

    def test_what_is_used_once_a_sample_is_booked_once_when_it_goes_on_in_the_next_range(self):
        kit = stocked_kit(self.membership)
        over = begin(self.place, self.membership, kit=kit.pk)
        send(self.membership, over, Taps().answer("ph", 7).run("sample-1", 25, endpoint=False).close())
        following = go_on(self.membership, over, None)
        send(self.membership, following, Taps().run("sample-1", 9).run("sample-2", 9).close())
        self.assertEqual((self.lot("ph-strip").units_left, self.lot("chromate-packet").units_left), (9, 47))
        self.assertEqual(following.kit, kit)

    def test_expired_damp_and_missing_lots_are_said_before_and_flagged_after(self):
        kit = stocked_kit(self.membership)
        lots = Lot.objects.for_team(self.membership.team)
        lots.filter(supply_key="silver-nitrate").update(expires_on=self.today - timedelta(days=1))
        sealed = lots.get(supply_key="silver-nitrate")
        sealed.pk, sealed.number, sealed.in_use = None, "SEALED", False
        sealed.expires_on, sealed.opened_on = self.today + timedelta(days=90), None
        sealed.save()
        lots.filter(supply_key="chromate-packet").update(damp=True)
        lots.filter(supply_key="deionised-water").update(in_use=False)
        sample = begin(self.place, self.membership, kit=kit.pk).sample
        page = self.client.get(reverse("bench:method", args=[sample.pk]) + "?family=chloride-drops")
        for words in ("lot expired", "lot suspected damp", "Deionised water: no lot in use"):
            self.assertContains(page, words)
        self.assertContains(page, f'href="{reverse("kits:lot", args=[sealed.pk])}"', count=1)
        result = self.run_twice(kit)
        self.assertEqual(result.flags, ["lot-damp", "lot-expired", "lot-missing", "lot-unproven"])
        self.assertEqual(self.run_twice(None).flags, ["lot-missing"])
        self.assertEqual(self.run_twice(None, lot="on the bottle").flags, [])

    def test_a_lot_comes_in_is_used_counted_damp_and_put_away(self):
        kit = stocked_kit(self.membership)
        self.client.force_login(member(self.membership.team, "Per", "technician").user)
        address = reverse("kits:add_lot", args=[kit.pk])
        form = {"supply_key": "ph-strip", "number": "B", "units": 20, "expires_on": "2030-01-01"}
        self.assertContains(self.client.post(address, form, follow=True), "sealed")
        for change, words in (
            ({}, "holds this lot already"),
            ({"number": "C", "units": -1}, "greater than or equal to 0"),
            ({"number": "C", "units": "nan"}, "Write a number"),
            ({"number": "C", "supply_key": "goggles"}, "valid choice"),
            ({"number": "C", "opened_on": "2999-01-01"}, "still to come"),
        ):
            self.assertContains(self.client.post(address, form | change), words, status_code=422)
        lot = Lot.objects.for_team(self.membership.team).get(number="B")

        def act(name, **data):
            page = self.client.post(reverse("kits:change_lot", args=[lot.pk, name]), data, follow=True)
            lot.refresh_from_db()
            return page

        act("use")
        self.assertEqual((lot.in_use, lot.opened_on), (True, self.today))
        self.assertEqual(
            Lot.objects.for_team(self.membership.team).filter(supply_key="ph-strip", in_use=True).count(), 1
        )
        act("count", units=17)
        self.assertEqual((lot.units_left, lot.changes.latest("pk").units), (17, -3))
        self.assertContains(act("count", units="many"), "how many units")
        act("damp", damp="yes")
        self.assertEqual(lot.faults, ("lot-damp",))
        self.assertContains(act("away"), "Say why")
        act("away", why="wet")
        self.assertEqual((lot.units_left, lot.in_use), (0, False))
        total = sum(StockChange.objects.for_team(lot.team).filter(lot=lot).values_list("units", flat=True))
        self.assertEqual(total, 0)
        self.assertEqual(self.client.post(reverse("kits:change_lot", args=[lot.pk, "burn"])).status_code, 404)

    def test_a_bottle_whose_drops_were_weighed_counts_by_its_own_drop(self):
        kit = stocked_kit(self.membership)
        lot = kit.lots.get(supply_key="silver-nitrate")
        address = reverse("kits:change_lot", args=[lot.pk, "weigh"])
        refused = self.client.post(address, {"grams_of_20": "5"}, follow=True)
        self.assertContains(refused, "20 drops of it weigh about 1 g")
        self.assertContains(self.client.post(address, {"grams_of_20": "x"}, follow=True), "Write what 20 drops weigh")
        self.assertContains(self.client.post(address, {"grams_of_20": "1.1"}, follow=True), "20 drops weigh")
        before, weighed = self.run_twice(None, 20), self.run_twice(kit, 20)
        self.assertEqual((before.value, round(weighed.value, 6)), (80, 88))
        self.assertIn("this bottle's own unit", " ".join(weighed.working))
        self.assertLess(weighed.high - weighed.low, before.high - before.low)
        strips = kit.lots.get(supply_key="ph-strip")
        other = reverse("kits:change_lot", args=[strips.pk, "weigh"])
        self.assertContains(self.client.post(other, {"grams_of_20": "1"}, follow=True), "not counted by drops")

    def test_a_lot_table_is_kept_or_refused_with_the_line(self):
        stocked_kit(self.membership)
        lot = self.lot("ph-strip")
        address = reverse("kits:change_lot", args=[lot.pk, "table"])
        refused = self.client.post(address, {"table": "1, 30\n3, 50\n2, 40"})
        self.assertContains(refused, "The marks are out of order: 2 comes after 3.", status_code=422)
        self.assertContains(refused, "3, 50", status_code=422)
        # In the field whoever opened the box writes the first table; what stands there is a technician's to change.
        self.client.force_login(member(self.place.team, "Olek").user)
        for table, status in (("1;30,5\n2;40", 302), ("1;99\n2;100", 403)):
            self.assertEqual(self.client.post(address, {"table": table}).status_code, status)
        lot.refresh_from_db()
        self.assertEqual(lot.table, [[1, 30.5], [2, 40]])

    def test_how_far_it_reaches_and_what_to_reorder(self):
        kit = stocked_kit(self.membership, chromate_packet=7)
        planned(self.membership, self.place, "FREQ=WEEKLY")
        page = self.client.get("/kits/")
        self.assertContains(page, 'about <b class="num">7</b> runs')
        self.assertEqual([each.supply.key for each in page.context["reorder"]], ["chromate-packet"])
        self.assertContains(page, "runs out in 2 weeks at this rhythm")
        self.assertContains(
            self.client.get(reverse("kits:kit", args=[kit.pk])), "the scarcest supply of each test decides"
        )
        Kit.objects.for_team(kit.team).create(team=kit.team, name="Empty")
        self.assertContains(self.client.get("/kits/"), "Nothing in it yet")

    def test_of_many_lots_the_list_of_kits_has_those_used_next_and_counts_the_rest(self):
        kit = stocked_kit(self.membership)
        for nth, (units, keeps) in enumerate([(0, 90), (5, -3), (5, 30), (5, 10), (5, 20)]):
            lot = Lot(team=kit.team, kit=kit, supply_key="chromate-packet", number=f"C-{nth}")
            lot.expires_on = self.today + timedelta(days=keeps)
            add_lot(self.membership, lot, units)
        page = self.client.get("/kits/")
        packets = next(each for _, held, _ in page.context["kits"] for each in held if "chromate" in each.supply.key)
        self.assertEqual([lot.number for lot in packets.lots], ["L-ch", "C-3", "C-4", "C-2", "C-1", "C-0"])
        self.assertEqual(packets.usable, 65)
        self.assertContains(page, 'and <span class="num">2</span> more lots of it, <span class="num">2</span> not fit')
        self.assertNotContains(page, "C-0")
        self.assertContains(self.client.get(reverse("kits:kit", args=[kit.pk])), "C-0")

    def test_a_mark_waits_for_its_lots_table_and_is_written_by_it_where_it_was_closed(self):
        kit = stocked_kit(self.membership, families=["chloride-strip"], chloride_strip=9)
        lot = kit.lots.get(supply_key="chloride-strip")
        olek = member(self.membership.team, "Olek")
        closed, opened, unread, early = (begin(self.place, olek, "chloride-strip", kit=kit.pk) for _ in range(4))
        self.assertEqual(send(olek, closed, Taps().read({"mark": 2.4}).close()).refused, [])
        self.assertEqual(send(olek, opened, Taps().read({"mark": 9.4})).refused, [])
        send(olek, unread, Taps().close())
        self.assertEqual(len(send(olek, early, Taps().read({"mark": "high"})).refused), 1)
        results = Result.objects.for_team(self.membership.team)
        tests = Determination.objects.for_team(self.membership.team)
        self.assertFalse(results.exists() or tests.exclude(closed_at=None).exists())
        page = self.client.get(reverse("bench:determination", args=[opened.pk]))
        self.assertContains(page, reverse("kits:lot", args=[lot.pk]))
        self.client.force_login(olek.user)
        address = reverse("kits:change_lot", args=[lot.pk, "table"])
        self.client.post(address, {"table": "1.0, 30\n2.0, 55\n3.0, 90"})
        result = results.get()
        self.assertEqual((result.value, result.low, result.high, result.determination), (69, 55, 90, closed))
        self.assertContains(self.client.get(reverse("bench:determination", args=[opened.pk])), "90")
        send(olek, opened, Taps(seq=50).close())
        self.assertEqual((standing(opened).censor, standing(opened).value), (">", 90))
        for each in (unread, early):
            each.refresh_from_db()
            self.assertIsNone(each.closed_at)


class Instruments(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)
        form = {"name": "Probe", "measures": "conductivity", "resolution": "1", "check_every_days": "30"}
        self.client.post("/instruments/new/", form)
        self.probe = Instrument.objects.for_team(self.membership.team).get()
        self.page = reverse("instruments:instrument", args=[self.probe.pk])

    def check(self, reading):
        form = {"standard": "sealed", "expected": 1413, "allowed": 28, "reading": reading}
        return self.client.post(self.page, form, follow=True)

    def noted(self):
        visit = visited(self.place, self.membership)
        self.assertEqual(note(self.membership, visit, ("conductivity", 410, self.probe.pk)).refused, [])
        return Observation.objects.for_team(self.place.team).get(visit=visit).flags

    def test_what_it_reads_is_flagged_by_its_last_check(self):
        self.assertEqual(self.noted(), ["check-overdue"])
        self.assertContains(self.check(1441), "It passed")
        self.assertEqual(self.noted(), [])
        self.assertContains(self.check(1442), "It failed")
        self.assertEqual(self.noted(), ["check-failed"])
        self.assertContains(self.client.get("/kits/"), "instrument failed a check")
        failed = InstrumentCheck.objects.for_team(self.probe.team).get(reading=1442)
        withdraw_instrument_check(self.membership, failed, why="A bad standard.")
        InstrumentCheck.objects.for_team(self.probe.team).update(at=timezone.now() - timedelta(days=31))
        self.assertEqual(self.noted(), ["check-overdue"])

    def test_numbers_that_no_instrument_shows_are_refused(self):
        for change in ({"allowed": -1}, {"reading": 1e30}, {"reading": "nan"}, {"standard": ""}):
            form = {"standard": "sealed", "expected": 1413, "allowed": 28, "reading": 1400} | change
            self.assertEqual(self.client.post(self.page, form).status_code, 422, change)
        same = {"name": "Probe", "measures": "temperature", "resolution": "0.1"}
        self.assertContains(self.client.post("/instruments/new/", same), "this name already", status_code=422)
        flat = {"name": "Flat", "measures": "temperature", "resolution": "0"}
        self.assertEqual(self.client.post("/instruments/new/", flat).status_code, 422)


class KitChecks(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)
        self.kit = stocked_kit(self.membership, ph_strip=0, chromate_packet=3)
        planned(self.membership, self.place)
        self.stop = self.place.stops.get()

    def pack(self, **change):
        return self.client.post("/today/pack/", {"stop": [self.stop.pk], "kit": self.kit.pk} | change, follow=True)

    def test_what_must_never_meet_is_packed_in_jars_apart_each_with_its_label(self):
        families = ("chloride-drops", "oxygen-titration", "nitrate-photometer", "nitrite-drops")
        tests = {family: {"runs": 2, "blanks": 0, "standards": 0} for family in families}
        plan_stop(self.membership, self.stop.round, self.place, tests, [])
        page = self.pack()
        for words in ("Silver jar", "Oxygen jar, lid vented", "Cadmium jar", "Acid metals jar"):
            self.assertContains(page, words, count=1)
        for words in ("Never azide, ammonia or acid.", "Never silver, metals or fresh azide.", "Nothing else."):
            self.assertContains(page, words)

    def test_what_is_missing_what_to_take_and_ticking_off(self):
        old = Lot.objects.for_team(self.kit.team).get(supply_key="chromate-packet")
        Lot.objects.for_team(self.kit.team).filter(pk=old.pk).update(
            expires_on=timezone.localdate() - timedelta(days=2)
        )
        other = Kit.objects.for_team(self.kit.team).create(team=self.kit.team, name="Van", home="the yard")
        Lot.objects.for_team(self.kit.team).create(
            team=self.kit.team, kit=other, supply_key="ph-strip", number="V-1", units_left=40
        )
        page = self.pack()
        for words in (
            "5 packets short in Box, 5 packets short in every kit",
            "lot L-ch: expired",
            "2 strips short in Box",
            'from Van (the yard): lot <span class="num">V-1</span>, 2 strips',
            "no instrument for conductivity is on your list",
            "Goggles",
        ):
            self.assertContains(page, words)
        check = KitCheck.objects.for_team(self.kit.team).get()
        keys = [line["key"] for line in check.lines]
        self.assertLess(keys.index("goggles"), keys.index("silver-nitrate"))
        address = reverse("packing:tick", args=[check.pk])
        rows = self.client.post(address, {"key": "goggles", "packed": "yes"}, headers={"hx-request": "true"})
        self.assertNotContains(rows, "<html")
        self.client.post(address, {"key": "towel", "packed": "yes"})
        self.client.post(address, {"key": "towel", "packed": "no"})
        check.refresh_from_db()
        self.assertEqual(check.ticked, ["goggles"])
        self.assertEqual(self.client.post(address, {"key": "kitchen sink", "packed": "yes"}).status_code, 404)

    def test_nothing_chosen_is_said(self):
        for change in ({"stop": []}, {"kit": ""}, {"kit": "99999"}, {"stop": ["x"]}):
            self.assertContains(self.pack(**change), "Choose a kit, and at least one place", status_code=422)
        self.assertContains(self.client.get("/today/pack/"), "Ines&#x27;s brook")
