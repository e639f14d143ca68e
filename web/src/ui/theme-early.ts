/** Sets the theme class before anything is drawn, so that a dark room stays dark. */
import { applyTheme, storedTheme } from "./theme-choice";

applyTheme(storedTheme());
