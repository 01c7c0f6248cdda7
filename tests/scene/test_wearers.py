"""What wears a material is counted at once and told once, when it is asked for."""

import pickle

from durvan.scene.wearers import Wearer, Wearers


def test_it_is_told_once_and_only_when_asked_for() -> None:
    asked: list[str] = []

    def tell() -> list[Wearer]:
        asked.append("told")
        return [Wearer("/a", "material"), Wearer("/b", "material")]

    worn = Wearers(2, tell)
    assert len(worn) == 2 and worn and not asked
    assert (
        [one.path for one in worn] == ["/a", "/b"] and worn[1].path == "/b" and worn[:1] == (Wearer("/a", "material"),)
    )
    assert asked == ["told"]


def test_another_process_gets_what_was_told() -> None:
    assert pickle.loads(pickle.dumps(Wearers(1, lambda: [Wearer("/a", "material")]))) == (Wearer("/a", "material"),)
