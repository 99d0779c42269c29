import '@fontsource-variable/fraunces/opsz.css';
import '@fontsource-variable/source-sans-3/wght.css';
import { mount } from 'svelte';
import App from './App.svelte';
import './app.css';

const target = document.getElementById('app');
if (!target) throw new Error('The page has no place for the application.');
mount(App, { target });
