"""What a process that stays has loaded is not looked through again for what nobody uses any more."""

import gc


def settle() -> None:
    """To be called once all is loaded. The collector would go over some hundred thousand objects of modules in the
    midst of an answer that makes many rows, or while a stand sends its samples."""
    gc.collect()
    gc.freeze()
